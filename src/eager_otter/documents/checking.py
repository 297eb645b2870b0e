"""Check parts of a document against a model, and say what is wrong in the trade's words."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Annotated, Any, TypeVar, get_args

from pydantic import BaseModel, BeforeValidator, ConfigDict, TypeAdapter, ValidationError

from eager_otter.documents.yaml_nodes import Document, Place, WrittenFloat, WrittenInt
from eager_otter.errors import Problem, nearest

T = TypeVar("T")


class Part(BaseModel):
    """The base of all file models: unknown keys are mistakes, nothing is converted by guess.

    Modules of many such parts do without `from __future__ import annotations`: each hint would be a text, to be
    compiled whenever the module is loaded.
    """

    model_config = ConfigDict(
        extra="forbid", strict=True, frozen=True, populate_by_name=False, defer_build=True
    )


def written_code(value: object) -> object:
    """Return an answer code as the text it was written as: `1`, `01` and `1.5` stay apart.

    >>> written_code(7), written_code("B")
    ('7', 'B')
    """
    if isinstance(value, WrittenInt | WrittenFloat):
        return value.text
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return f"{value:.15g}"
    return value


def written_text(value: object) -> object:
    """Accept a number where a label is wanted: a label may be `2024`."""
    return written_code(value) if isinstance(value, int | float) else value


Written = str | int | float | bool  # as YAML may read what stands for a text
Code = Annotated[str, BeforeValidator(written_code, json_schema_input_type=Written)]
Text = Annotated[str, BeforeValidator(written_text, json_schema_input_type=Written)]


def check(
    kind: type[T] | Any, value: object, document: Document, place: Place
) -> tuple[T | None, list[Problem]]:
    """Validate one part of a document: the model, and all problems of the part.

    With problems, the model is what is left without the mistaken keys, so that the rest can still be checked
    against other files; None where nothing sound is left.
    """
    adapter = _adapter(kind)  # type: ignore[arg-type] # a class or an annotated one
    by_name = document.by_name or None
    try:
        return adapter.validate_python(value, by_alias=True, by_name=by_name), []
    except ValidationError as error:
        items = error.errors()
        problems = problems_of(error, kind, document, place)
    mistaken = {str(item["loc"][0]) for item in items if item["loc"]}
    if not isinstance(value, dict) or not mistaken & set(value):
        return None, problems
    try:
        kept = {key: value[key] for key in value if key not in mistaken}
        return adapter.validate_python(kept, by_alias=True, by_name=by_name), problems
    except ValidationError:
        return None, problems


def problems_of(error: ValidationError, kind: Any, document: Document, place: Place) -> list[Problem]:
    """Say what a validation found wrong at a place of a document."""
    return [_problem(item, kind, document, place) for item in error.errors()]


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def _problem(item: Any, kind: Any, document: Document, place: Place) -> Problem:
    loc = tuple(item["loc"])
    where = (*place, *loc)
    name = _key_at(document, where) or "the file"
    match item["type"]:
        case "extra_forbidden":
            known = _keys_at(kind, loc[:-1])
            message = f"unknown key {name!r}.{nearest(name, known)}{_parted(item['input'], document, where)}"
            return document.problem(where, message, key=True)
        case "missing":
            return document.problem(
                where[:-1], f"{_dotted(where[:-1])} needs the key {str(loc[-1])!r}.", key=True
            )
        case "literal_error" | "enum":
            expected = item["ctx"]["expected"].replace("'", "")
            value = item["input"]
            hint = (
                nearest(str(value), expected.replace(" or ", ", ").split(", ")) if value is not None else ""
            )
            hint = hint if hint.startswith(" Did") else ""
            message = f"{name}: expected one of {expected}; found {found_text(value)}.{hint}"
        case "value_error":
            message = str(item["ctx"]["error"])
        case "float_parsing" | "int_parsing" | "int_from_float":
            wanted = _WANTED["float_type" if item["type"] == "float_parsing" else "int_type"]
            message = f"{name}: expected {wanted}; found {found_text(item['input'])}."
        case "greater_than_equal" | "less_than_equal":
            limit = item["ctx"].get("ge", item["ctx"].get("le"))
            side = "from" if item["type"] == "greater_than_equal" else "up to"
            message = f"{name}: expected a number {side} {limit:g}; found {found_text(item['input'])}."
        case "too_short":
            message = (
                f"{name}: expected {item['ctx']['min_length']} or more; found {item['ctx']['actual_length']}."
            )
        case (
            "string_type" | "int_type" | "float_type" | "bool_type" | "list_type" | "tuple_type" | "dict_type"
        ):
            message = f"{name}: expected {_WANTED[item['type']]}; found {found_text(item['input'])}."
        case "model_type" | "model_attributes_type":
            message = f"{name}: expected a mapping (key: value); found {found_text(item['input'])}."
        case "union_tag_invalid" | "union_tag_not_found":
            message = f"{name}: {item['msg']}."
        case _:
            message = f"{name}: {item['msg'][0].lower()}{item['msg'][1:]}; found {found_text(item['input'])}."
    return document.problem(where, message + _parted(item["input"], document, where))


def _parted(value: object, document: Document, where: Place) -> str:
    """Say what a key without a value most often is: the end of a text with a comma, as in {label: Other, please}."""
    return (
        " A text with a comma stands in quotes inside { }."
        if value is None and document.stands_alone(where)
        else ""
    )


def _key_at(document: Document, where: Place) -> str:
    """Name the innermost key at a place: what a reader sees before the value, whatever list it is in."""
    keys = [where[:k] for k in range(1, len(where) + 1) if where[:k] in document.keys]
    return str(keys[-1][-1]) if keys else ""


_WANTED = {
    "string_type": "text",
    "int_type": "a whole number",
    "float_type": "a number",
    "bool_type": "true or false",
    "list_type": "a list",
    "tuple_type": "a list",
    "dict_type": "a mapping (key: value)",
}


def found_text(value: object) -> str:
    """Say what was found in place of what was expected."""
    if value is None:
        return "nothing"
    if isinstance(value, dict):
        return "a mapping"
    if isinstance(value, list | tuple):
        return "a list"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return f"the number {written_code(value)}"
    if not isinstance(value, str):
        return f"an object of type {type(value).__name__}"
    text = repr(str(value))
    return text if len(text) < 80 else text[:76] + "…'"


def _dotted(place: Iterable[str | int]) -> str:
    text = ""
    for step in place:
        text += f"[{step + 1}]" if isinstance(step, int) else f".{step}" if text else str(step)
    return text or "the file"


def _keys_at(kind: Any, loc: Place) -> list[str]:
    """List the keys a model knows at a place below it."""
    models = list(_models_in(kind))
    for step in loc:
        deeper = [
            field.annotation
            for model in models
            for name, field in model.model_fields.items()
            if step in (name, field.alias)
        ]
        if deeper:
            models = [inner for annotation in deeper for inner in _models_in(annotation)]
        elif isinstance(step, str) and any(_tag(model) == step for model in models):
            models = [model for model in models if _tag(model) == step]
    return sorted({field.alias or name for model in models for name, field in model.model_fields.items()})


def _models_in(annotation: Any) -> Iterable[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
        return
    for inner in get_args(annotation):
        yield from _models_in(inner)


def _tag(model: type[BaseModel]) -> str:
    return str(getattr(model, "TAG", ""))
