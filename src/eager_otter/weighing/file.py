"""The targets file, as written."""

from typing import Annotated, Any, Literal

from pydantic import Field

from eager_otter.documents.checking import Part, Text

Number = Annotated[float, Field(strict=False, ge=0, allow_inf_nan=False)]
Shares = Annotated[dict[str, Number], Field(min_length=1)]
Targets = dict[str, Shares]


class NestedFile(Part):
    """A target for two questions at once: an answer of the first, then shares of the second."""

    questions: Annotated[list[Text], Field(min_length=2, max_length=2)]
    shares: Annotated[dict[str, Shares], Field(min_length=1)]


class TargetsFile(Part):
    """The targets of weights."""

    data: Any = None
    codebook: Text | None = None
    plan: Text | None = None
    filter: Text | None = None
    start: Text | None = None
    within: Text | None = None
    given_as: Literal["shares", "counts"] = Field(default="shares", alias="given as")
    cap: Annotated[float, Field(strict=False, ge=1)] | None = None
    total: Annotated[float, Field(strict=False, gt=0)] | None = None
    no_answer: Literal["error", "mean weight"] = Field(default="error", alias="no answer")
    targets: Targets = {}
    nested: list[NestedFile] = []
    own: dict[str, Targets] = Field(default={}, alias="own targets")
