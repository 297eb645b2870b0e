"""JSON Schemas of plan, codebook, theme and catalogue, for editors that complete and check while one types.

They are a little laxer than reading: which keys exclude each other, and names of questions and answers, are left to it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal, TypeAlias, Union

from pydantic import Field, TypeAdapter

from eager_otter.codebook.file import BY_KEY, BY_KIND, CodebookFile, SharedNetFile
from eager_otter.documents.part import Text
from eager_otter.documents.settled import checked
from eager_otter.documents.validating import PartModel, hint_of_model, model_of
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

if TYPE_CHECKING:
    Label: TypeAlias = str
    Group: TypeAlias = PartModel
    Tests: TypeAlias = PartModel
    Bases: TypeAlias = PartModel
    Defaults: TypeAlias = PartModel
    Table: TypeAlias = PartModel
    SharedNet: TypeAlias = PartModel
    Question: TypeAlias = PartModel
else:
    Label, Tests, Bases = map(hint_of_model, (Text, TestsEntry, BasesFile))
    Defaults, SharedNet = model_of(DefaultsFile), model_of(SharedNetFile)
    Table = hint_of_model(TableFile | ItemsFile | EachFile | HeadingFile | Text)
    Question = hint_of_model(Union[*BY_KIND.values(), *BY_KEY.values()])


class WholeGroup(model_of(GroupFile)):  # type: ignore[misc] # made of the part
    """Columns that belong together: of a question, of one's own, or a nesting of groups."""

    nest: list[WholeGroup | Label] | None = Field(default=None, min_length=2)


class WholeBanner(model_of(BannerFile)):  # type: ignore[misc]
    """A banner: its groups, and where the Total is."""

    groups: list[WholeGroup | Label | list[WholeGroup | Label]]
    tests: Tests | None = None
    bases: Bases | None = None


class WholePlan(model_of(PlanFile)):  # type: ignore[misc]
    """A plan: the tables, their banners and their rules."""

    banners: dict[str, WholeBanner | list[WholeGroup | Label | list[WholeGroup | Label]]] = Field(
        default_factory=dict
    )
    tests: Tests | None = None
    bases: Bases | None = None
    defaults: Defaults | None = None
    tables: list[Table] = Field(min_length=1)


class WholeCodebook(model_of(CodebookFile)):  # type: ignore[misc]
    """A codebook: questions, answers, codes, labels, nets."""

    nets: list[SharedNet] = Field(default_factory=list)
    questions: dict[str, Question] = Field(default_factory=dict)


MODELS: dict[SchemaName, Any] = {
    "plan": WholePlan,
    "codebook": WholeCodebook,
    "theme": model_of(ThemeFile),
    "words": model_of(CatalogueFile),
}


@checked
def json_schema(name: SchemaName) -> dict[str, Any]:
    """Return the JSON Schema (draft 2020-12) of a kind of file, its `name`. Raises RequestError for another."""
    schema = TypeAdapter(MODELS[name]).json_schema(by_alias=True, mode="validation")
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
