"""The targets file, as written."""

from typing import Annotated, Any, Literal

from eager_otter.documents.part import Limits, Part, Text, key

Number = Annotated[float, Limits(as_text=True, ge=0, any_size=False)]
Shares = Annotated[dict[str, Number], Limits(min_length=1)]
Targets = dict[str, Shares]


class NestedFile(Part):
    """A target for two questions at once: an answer of the first, then shares of the second."""

    examples = {
        "questions": "[region, gender]",
        "shares": "{North: {Women: 52, Men: 48}}",
    }

    questions: Annotated[list[Text], Limits(min_length=2, max_length=2)]
    shares: Annotated[dict[str, Shares], Limits(min_length=1)]


class TargetsFile(Part):
    """The targets of weights."""

    examples = {
        "targets": "{region: {North: 40, South: 60}}",
        "nested": "[{questions: [region, gender], shares: {North: {Women: 52, Men: 48}, South: {Women: 50, Men: 50}}}]",
        "own targets": "{Spring: {region: {North: 40, South: 60}}}",
    }

    data: Any = None
    codebook: Text | None = None
    plan: Text | None = None
    filter: Text | None = None
    start: Text | None = None
    within: Text | None = None
    given_as: Literal["shares", "counts"] = key("given as", "shares")
    cap: Annotated[float, Limits(as_text=True, ge=1)] | None = None
    total: Annotated[float, Limits(as_text=True, gt=0)] | None = None
    no_answer: Literal["error", "mean weight"] = key("no answer", "error")
    targets: Targets = {}
    nested: list[NestedFile] = []
    own: dict[str, Targets] = key("own targets", {})
