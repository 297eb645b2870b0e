"""The plan file, as written: what keys there are and what each may hold."""

from typing import TYPE_CHECKING, Annotated, Any, Literal, TypeAlias, get_args

from eager_otter.documents.options import options_of, part_of
from eager_otter.documents.part import (
    After,
    Before,
    ByShape,
    Code,
    InSchema,
    Limits,
    OneOrMore,
    Part,
    Text,
    as_list,
    key,
    rule,
)
from eager_otter.errors import UnknownName, nearest, one_of
from eager_otter.figures.kinds.quantiles import PERCENTILE
from eager_otter.figures.registry import all_figures, base_lines, check_figure, figures_with
from eager_otter.gates.outputs import ENDINGS
from eager_otter.looks.theme import DigitsKind, as_percent_digits
from eager_otter.plan.plan import Plan, SlideRules
from eager_otter.tables.note import NotesLength
from eager_otter.tables.request import (
    Against,
    JudgedOn,
    SortBy,
    TestRules,
    TotalPlace,
    WholeTable,
)
from eager_otter.tables.shows import Shape

Number = Annotated[float, Limits(as_text=True)]


AGAINST = tuple(name for name in get_args(Against) if name != "column")


Texts = Annotated[list[Text], Before(as_list, Text | list[Text])]


def _as_question(value: object) -> object:
    return value if isinstance(value, dict) else {"question": value}


def _as_group(value: object) -> object:
    return {"nest": value} if isinstance(value, list) else _as_question(value)


def _as_against(value: object) -> object:
    """Take what is compared from its words; a mapping names one column."""
    if isinstance(value, str) and value not in AGAINST:
        known = ", ".join(AGAINST)
        raise ValueError(f"against: expected one of {known}, or {{column: NAME}}; found {value!r}.")
    return value


class ControlFile(Part):
    """One column that others are tested against."""

    column: Text


AgainstEntry = Against | ControlFile


class GroupFile(Part):
    """Columns that belong together: of a question, of one's own, or a nesting of groups."""

    examples = {
        "against": "{column: North}",
        "keep": "[1, 2]",
        "labels": "{1: North}",
        "columns": "{Under 35: age < 35, 35 and over: age >= 35}",
        "nest": "[region, age]",
        "hide": "[9]",
        "differences": "{South less North: [2, 1]}",
    }

    question: Text | None = None
    label: Text | None = None
    keep: OneOrMore | None = None
    labels: dict[str, Text] = {}
    columns: Annotated[dict[str, OneOrMore], Limits(min_length=1)] | None = None
    nest: Annotated[list[Any], Limits(min_length=2)] | None = None
    subtotal: bool = False
    only: Text | None = None
    hide: OneOrMore | None = None
    differences: dict[str, Annotated[list[Code], Limits(min_length=2, max_length=2)]] = {}
    against: Annotated[AgainstEntry, Before(_as_against, AgainstEntry)] | None = None
    trend: bool = False
    rolling: Annotated[int, Limits(ge=2)] | None = None

    @rule
    def _one_way(self) -> None:
        if self.nest is not None and (self.question is not None or self.columns is not None):
            raise ValueError("a nesting names its questions inside nest; take question and columns out.")
        if self.nest is None and self.question is None and self.columns is None:
            raise ValueError(
                "a banner group needs a question, columns (label: expression) or nest (a list of groups)."
            )
        if self.rolling is not None and (self.question is None or self.columns is not None):
            raise ValueError(
                "rolling goes with a question: so many of its answers in a column, each one later."
            )
        if self.columns is not None and self.keep is not None:
            raise ValueError("columns say already what is shown; take keep out.")
        if self.subtotal and self.nest is None:
            raise ValueError("a subtotal goes with nest: one column for all of each outer answer.")
        if self.question is None and self.keep is not None:
            raise ValueError("keep chooses answers of a question; name it.")
        if self.labels and (self.question is None or self.columns is not None):
            raise ValueError("labels rename answers of a question; columns of one's own carry their labels.")


GroupEntry = Annotated[GroupFile, Before(_as_group, GroupFile | Text | list[Any])]


def _as_groups(value: object) -> object:
    return {"groups": value} if isinstance(value, list) else value


class BannerFile(Part):
    """A banner: its groups, and where the Total is."""

    examples = {
        "groups": "[region, age]",
    }

    groups: Annotated[list[Any], Limits(min_length=1)]
    total: TotalPlace = "first"
    tests: Any = None
    bases: Any = None


BannerEntry = Annotated[BannerFile, Before(_as_groups, BannerFile | list[Any])]


TestOptions = part_of("TestOptions", TestRules)


class TestsFile(TestOptions):  # type: ignore[misc,valid-type]
    """Significance tests."""

    example = "{levels: [95, 90]}"
    examples = {
        "against": "{column: North}",
        "levels": "[95, 90]",
    }

    __test__ = False  # not a test case, whatever its name

    levels: Annotated[list[Number], Before(as_list, Number | list[Number])] | None = None
    against: Annotated[AgainstEntry, Before(_as_against, AgainstEntry)] | None = None
    compare: Literal["same parent", "all parents"] | None = None
    rest_of: Literal["table", "parent"] | None = key("rest of", None)
    whole_table: WholeTable | None = key("whole table", None)
    controlling_for: Text | None = key("controlling for", None)

    @rule
    def _something_to_test(self) -> None:
        of_pairs = {"against", "compare", "rest_of", *(name for name, _, _ in options_of(TestRules))}
        idle = sorted(self.said & of_pairs)
        if self.levels == [] and idle:
            raise ValueError(f"without levels nothing is tested, so {', '.join(idle)} would do nothing.")


def _as_tests(value: object) -> object:
    """Take "none" as no levels, another word as what is compared."""
    if value == "none":
        return {"levels": []}
    if not isinstance(value, str):
        return value
    if value not in AGAINST:
        known = ", ".join(("none", *AGAINST))
        raise ValueError(
            f"tests: expected one of {known}, or settings; found {value!r}.{nearest(value, AGAINST)}"
        )
    return {"against": value}


TestsEntry = Annotated[TestsFile, Before(_as_tests, TestsFile | Literal["none", *AGAINST])]


if TYPE_CHECKING:
    BaseName: TypeAlias = str
else:
    BaseName = Literal[tuple(line.short for line in base_lines())]


class BasesFile(Part):
    """Minimum bases."""

    example = "{mark below: 75, no test below: 30}"
    examples = {
        "show": "[unweighted, effective]",
    }

    mark: Number | None = key("mark below", None)
    no_test: Number | None = key("no test below", None)
    withhold: Number | None = key("withhold below", None)
    judged_on: JudgedOn = key("judged on", "unweighted base")
    show: Annotated[list[BaseName], Before(as_list, BaseName | list[BaseName])] | None = None

    @rule
    def _something_to_judge(self) -> None:
        if "judged_on" in self.said and self.mark is self.no_test is self.withhold is None:
            raise ValueError("judged on says how thresholds are judged; give one, or take it out.")


DIGIT_KINDS = get_args(DigitsKind)
NO_CONTROL = "none"  # where a table, other than the plan, controls for no question


def _known_digits(digits: dict[str, int]) -> dict[str, int]:
    for name in digits:
        if name not in DIGIT_KINDS and name not in [line.name for line in base_lines()]:
            _known_figure(name)
    return digits


def _known_figure(name: str) -> str:
    try:
        return check_figure(name)
    except UnknownName as error:
        raise ValueError(f"no{str(error).removeprefix('No')}") from error


DigitsEntry = Annotated[
    dict[str, Annotated[int, Limits(ge=0, le=10)]],
    Before(as_percent_digits, int | dict[str, int]),
    After(_known_digits),
]


def _figure_names(schema: dict[str, Any]) -> None:
    """Put the names of figures into a schema, so that an editor completes them."""
    names = [figure.name for figure in all_figures()]
    schema["anyOf"] = [{"enum": names}, {"pattern": f"^{PERCENTILE.pattern}$"}]


FigureName = Annotated[str, After(_known_figure), InSchema(_figure_names)]
Figures = Annotated[
    list[FigureName],
    Before(as_list, FigureName | list[FigureName]),
    Limits(min_length=1),
]


def _as_sorting(value: object) -> object:
    if value in ("up", "down"):
        return {"direction": value}
    if isinstance(value, str) and value not in get_args(SortBy):
        words = (*get_args(SortBy), "up", "down")
        raise ValueError(f"sort: expected one of {', '.join(words)}; found {value!r}.{nearest(value, words)}")
    return value if isinstance(value, dict) else {"by": value}


class SortFile(Part):
    """The order of rows."""

    by: SortBy = "figure"
    direction: Literal["up", "down"] | None = None
    column: Text = "Total"


SortWord = SortBy | Literal["up", "down"]


class SettingsPart(Part):
    """The settings that a single table and a rule for many share."""

    examples = {
        "banner": "[main, detail]",
        "sort": "down",
        "hide": "[9]",
        "leave out": "[9]",
        "figures": "[column percent, count]",
        "chart group": "[region, age]",
        "untested": "[9]",
        "headings": "{1: Against, 4: In favour}",
        "digits": "{column percent: 1, mean: 2}",
    }

    banner: Texts | None = None
    filter: Text | None = None
    base: Text | None = None
    sort: Annotated[SortFile, Before(_as_sorting, SortFile | SortWord)] | None = None
    hide: OneOrMore | None = None
    leave_out: OneOrMore | None = key("leave out", None)
    most: Annotated[int, Limits(ge=1)] | None = None
    above: Annotated[float, Limits(as_text=True, ge=0, le=100)] | None = None
    empty_rows: Literal["keep", "drop"] | None = key("empty rows", None)
    repeat: Text | None = None
    part: Text | None = None
    layer: Text | None = None  # as version 0.1 called the part
    no_answer: Literal["one row", "by reason"] | None = key("no answer", None)
    figures: Figures | None = None
    percent_of: Code | None = key("percent of", None)
    difference_from: Code | None = key("difference from", None)
    outer_level: Annotated[int, Limits(ge=0)] | None = key("outer level", None)
    base_text: Text | None = key("base text", None)
    note: Text | None = None
    chart_group: OneOrMore | None = key("chart group", None)
    untested: OneOrMore | None = None
    headings: dict[str, Text] | None = None
    digits: DigitsEntry | None = None
    tests: TestsEntry | None = None
    bases: BasesFile | None = None

    @rule
    def _percent_of_what(self) -> None:
        if "percent of answer" in (self.figures or []) and self.percent_of is None:
            raise ValueError("the figure 'percent of answer' needs percent of: the answer or net.")

    def needs(self) -> dict[str, tuple[str, ...]]:
        """Return the settings that are there and go with a figure: key by alias, and the figures."""
        given = {
            "percent of": self.percent_of,
            "difference from": self.difference_from,
            "outer level": self.outer_level,
        }
        return {key: figures_with(key) for key, value in given.items() if value is not None}


class KindFile(Part):
    """Settings of every table of one kind of question that says nothing else."""

    examples = {
        "figures": "[column percent, mean]",
        "digits": "{mean: 2}",
    }

    figures: Figures | None = None
    digits: DigitsEntry | None = None
    tests: TestsEntry | None = None
    bases: BasesFile | None = None


class DefaultsFile(Part):
    """Settings of every table that says nothing else."""

    example = "{banner: main, digits: {mean: 2}}"
    examples = {
        "figures": "[column percent, count]",
        "digits": "{column percent: 1}",
        "kinds": "{scale: {figures: [column percent, mean]}}",
    }

    banner: Text | None = None
    figures: Figures | None = None
    digits: DigitsEntry | None = None
    kinds: dict[Literal["single", "scale", "multi", "number"], KindFile] = {}


class TableFile(SettingsPart):
    """One table."""

    examples = {
        "within": "[region]",
    }

    question: Text
    value: Text | None = None
    within: Texts | None = None
    id: Text | None = None
    title: Text | None = None


class ItemFile(Part):
    """One question of a table of several, with a figure and a label of its own."""

    question: Text
    figure: Text | None = None
    label: Text | None = None


ItemEntry = Annotated[ItemFile, Before(_as_question, ItemFile | Text)]


class ItemsFile(SettingsPart):
    """Several questions in one table: the items of a grid, or questions named."""

    examples = {
        "items": "[liking, {question: spend, figure: mean}]",
    }

    grid: Text | None = None
    items: Annotated[list[ItemEntry], Limits(min_length=1)] | None = None
    shape: Shape = key("as", "items by columns")
    figure: Text = "mean"
    id: Text | None = None
    title: Text | None = None

    @rule
    def _one_way(self) -> None:
        if (self.grid is None) == (self.items is None):
            raise ValueError("name either a grid or items (a list of questions).")


class EachFile(SettingsPart):
    """A table for every question whose name fits (patterns; `all`: those not named elsewhere in the plan)."""

    examples = {
        "each": '[heard_of, "statements.*"]',
        "kinds": "[single, multi]",
        "sections": "[Brands]",
    }

    each: Texts
    kinds: Texts | None = None
    sections: Texts | None = None


class HeadingFile(Part):
    """A heading over the tables that follow, in the contents."""

    heading: Text


def as_output(value: object) -> object:
    """Take a name alone as that of a file."""
    return value if isinstance(value, dict) else {"file": value}


def _known_ending(file: str) -> str:
    if not file.lower().endswith(ENDINGS):
        raise ValueError(f"outputs end in {one_of(ENDINGS)}; found {file!r}.")
    return file


OutputName = Annotated[Text, After(_known_ending)]


class OutputFile(Part):
    """A file to write, and how long the notes in it are."""

    file: OutputName
    notes: NotesLength | None = None


OutputEntry = Annotated[OutputFile, Before(as_output, OutputFile | Text)]


def _as_file(value: object) -> object:
    return value if isinstance(value, dict) else {"file": value}


class ReadingPart(Part):
    """How to read a file of responses, where that cannot be told from the file."""

    sheet: Text | None = None
    delimiter: str | None = None
    encoding: str | None = None
    decimal: Literal[".", ","] | None = None
    heading_rows: Literal[1, 2, 3] | None = key("heading rows", None)
    headings_from_row: Annotated[int, Limits(ge=1, le=100)] | None = key("headings from row", None)


class ChangesPart(Part):
    """What differs in one of several files from the codebook; on the left is what this file has."""

    examples = {
        "columns": "{q7: liking}",
        "codes": "{region: {9: 1}}",
        "not asked": "[liking]",
        "not offered": "{heard_of: [Skerrow]}",
    }

    columns: dict[Text, Text] = {}
    codes: dict[str, dict[Code, Code]] = {}
    not_asked: Annotated[list[str], Before(as_list, str | list[str])] = key("not asked", [])
    not_offered: dict[str, OneOrMore] = key("not offered", {})


class WavePart(ReadingPart):
    """One of several files of a survey."""

    examples = {
        "changes": "{columns: {q7: liking}}",
    }

    file: Text
    label: Text = ""
    codebook: Text | None = None
    date: Text = ""
    changes: ChangesPart = ChangesPart()


WaveEntry = Annotated[WavePart, Before(_as_file, WavePart | Text)]


WaveEntries = Annotated[
    Annotated[list[WaveEntry], Limits(min_length=1)] | Text, ByShape("list", "pattern", list)
]


def _as_data(value: object) -> object:
    if isinstance(value, list):
        raise ValueError(
            "data: expected a file; found a list. Several files that are one survey stand under files, as in "
            "data: {files: [{file: spring.csv, label: Spring}, {file: autumn.csv, label: Autumn}]}."
        )
    return _as_file(value)


class DataPart(ReadingPart):
    """The file of responses, or several files that are one survey, and the question that tells these apart."""

    examples = {
        "files": "[{file: spring.csv, label: Spring}, {file: autumn.csv, label: Autumn}]",
    }

    file: Text | None = None
    files: WaveEntries | None = None
    question: str = "wave"
    label: Text = "Wave"

    @rule
    def _one_or_several(self) -> None:
        if (self.file is None) == (self.files is None):
            raise ValueError(
                "data: name one file (file: responses.csv), or several (files: a list of them, each with a label)."
            )
        said = self.said - {"file", "files"}
        if self.file is not None and said & {"question", "label"}:
            raise ValueError("question and label go with several files (files: …).")
        if isinstance(self.files, list) and said - {"question", "label"}:
            raise ValueError("how a file is read stands beside each of several files, in the list.")


def _as_each(value: object) -> object:
    return value if isinstance(value, dict) else {"question": value}


class ForEachFile(Part):
    """A report for each answer of a question, and what differs in them."""

    examples = {
        "keep": "[1, 2]",
        "differs": "{1: {weight: wt_north}}",
    }

    question: str
    keep: OneOrMore | None = None
    differs: dict[Code, dict[str, Any]] = {}


class AcceptFile(Part):
    """A slip that the audit finds, to let be."""

    slip: Text | None = None
    finding: Text | None = None  # as version 0.1 called it
    where: Text = "*"
    because: Annotated[Text, Limits(min_length=1)]

    @rule
    def _one_slip(self) -> None:
        if (self.slip is None) == (self.finding is None):
            raise ValueError("slip: name the slip to let be, as the audit calls it.")


def _each_once(outputs: list[OutputFile]) -> list[OutputFile]:
    if len({output.file.casefold() for output in outputs}) < len(outputs):
        raise ValueError("an output is named twice.")
    return outputs


SlideOptions = part_of("SlideOptions", SlideRules)
PlanOptions = part_of("PlanOptions", Plan)


class SlidesFile(SlideOptions):  # type: ignore[misc,valid-type]
    """How slides are made."""

    template: Text | None = None


class PlanFile(PlanOptions):  # type: ignore[misc,valid-type]
    """The whole plan; banners and tables are checked one by one."""

    examples = {
        "workbook": "{sheets: per section}",
        "tidy": "{whole tables: true}",
        "include": "[more.yaml]",
        "data": "responses.csv",
        "conditions": "{status == 1: Interview complete}",
        "for each": "region",
        "banners": "{main: [region, age]}",
        "tables": "[heard_of, {question: liking, banner: main}]",
        "slides": "{template: house.pptx}",
        "accept": "[{slip: none beside others, where: heard_of, because: asked that way}]",
        "outputs": "[tables.xlsx, {file: tables.pdf, notes: short}]",
    }

    include: Texts = []

    title: Text = ""
    data: Annotated[DataPart, Before(_as_data, DataPart | Text)]
    codebook: Text
    filter: Text | None = None
    conditions: dict[str, Text] = {}
    for_each: Annotated[ForEachFile, Before(_as_each, ForEachFile | Text)] | None = key("for each", None)
    weight: Text | None = None
    banners: dict[str, Any] = {}
    tests: Annotated[Any, TestsFile] = None  # checked by itself, as are those below
    bases: Annotated[Any, BasesFile] = None
    defaults: Annotated[Any, DefaultsFile] = None
    tables: Annotated[list[Any], Limits(min_length=1)]
    theme: Text = ""
    language: Text = ""
    slides: SlidesFile = SlidesFile()
    accept: list[AcceptFile] = []
    outputs: Annotated[
        list[OutputEntry], Before(as_list, OutputEntry | list[OutputEntry]), After(_each_once)
    ] = []
