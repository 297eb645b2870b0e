"""JSON Schemas of plan, codebook, theme and catalogue, for editors that complete and check while one types.

They are a little laxer than reading: which keys exclude each other, and names of questions and answers, are left to it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal, TypeAlias, Union

from pydantic import Field, TypeAdapter

from eager_otter.codebook.file import BY_KEY, BY_KIND, CodebookFile, QuestionPart, SharedNetFile
from eager_otter.documents.checking import Text
from eager_otter.documents.settled import checked
from eager_otter.looks.catalogue import CatalogueFile
from eager_otter.looks.theme import ThemeFile
from eager_otter.plan.file import (
    BannerFile,
    BasesFile,
    DefaultsFile,
    EachFile,
    GroupFile,
    HeadingFile,
    ItemsFile,
    PlanFile,
    TableFile,
    TestsEntry,
)

SchemaName = Literal["plan", "codebook", "theme", "words"]


class WholeGroup(GroupFile):
    """Columns that belong together: of a question, of one's own, or a nesting of groups."""

    nest: list[WholeGroup | Text] | None = Field(default=None, min_length=2)


class WholeBanner(BannerFile):
    """A banner: its groups, and where the Total is."""

    groups: list[WholeGroup | Text | list[WholeGroup | Text]]
    tests: TestsEntry | None = None
    bases: BasesFile | None = None


class WholePlan(PlanFile):
    """A plan: the tables, their banners and their rules."""

    banners: dict[str, WholeBanner | list[WholeGroup | Text | list[WholeGroup | Text]]] = Field(
        default_factory=dict
    )
    tests: TestsEntry | None = None
    bases: BasesFile | None = None
    defaults: DefaultsFile | None = None
    tables: list[TableFile | ItemsFile | EachFile | HeadingFile | Text] = Field(min_length=1)


if TYPE_CHECKING:
    Question: TypeAlias = QuestionPart
else:
    Question = Union[*BY_KIND.values(), *BY_KEY.values()]  # noqa: UP007: of as many as there are


class WholeCodebook(CodebookFile):
    """A codebook: questions, answers, codes, labels, nets."""

    nets: list[SharedNetFile] = Field(default_factory=list)
    questions: dict[str, Question] = Field(default_factory=dict)


MODELS: dict[SchemaName, Any] = {
    "plan": WholePlan,
    "codebook": WholeCodebook,
    "theme": ThemeFile,
    "words": CatalogueFile,
}


@checked
def json_schema(name: SchemaName) -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a kind of file, its `name`. Raises RequestError for another."""
    schema = TypeAdapter(MODELS[name]).json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
