"""Parts of a document as models of the library that checks them: what is wrong with one, in the trade's words."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cache, reduce
from operator import or_
from types import UnionType
from typing import Annotated, Any, ClassVar, Union, get_args, get_origin

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Discriminator,
    Field,
    Tag,
    TypeAdapter,
    ValidationError,
    create_model,
    model_validator,
)

from eager_otter.documents.part import (
    After,
    Before,
    ByShape,
    InSchema,
    Limits,
    Part,
    PartField,
    example_of,
    fields_of,
    parts_in,
    rules_of,
)
from eager_otter.documents.written import found_text
from eager_otter.documents.yaml_nodes import AFTER_A_SIGN, Document, Place
from eager_otter.errors import Problem, nearest, one_of


class PartModel(BaseModel):
    """The base of the models of parts; `part_kind` is the kind of part that one is of."""

    model_config = ConfigDict(
        extra="forbid", strict=True, frozen=True, populate_by_name=False, defer_build=True
    )
    part_kind: ClassVar[type[Part]]

    @property
    def said(self) -> frozenset[str]:
        """The fields that the file holds."""
        return frozenset(self.model_fields_set)


def model_of(kind: type[Part]) -> type[PartModel]:
    """Return the model of a kind of part, with the same fields and the same checks."""
    hashable: Any = kind
    return _model_of(hashable)


@cache
def _model_of(kind: Any) -> type[PartModel]:
    fields: dict[str, Any] = {
        name: (hint_of_model(one.hint), _with_default(one)) for name, one in fields_of(kind).items()
    }
    rules: dict[str, Any] = {
        one.__name__: model_validator(mode="after")(_whole(one)) for one in rules_of(kind)
    }
    model = create_model(
        kind.__name__,
        __base__=PartModel,
        __module__=kind.__module__,
        __doc__=kind.__doc__,
        __validators__=rules,
        **fields,
    )
    model.part_kind = kind
    return model


def _with_default(one: PartField) -> Any:
    alias = None if one.key == one.name else one.key
    if one.required:
        return Field(alias=alias)
    return Field(
        alias=alias,
        default=model_of(type(one.default))() if isinstance(one.default, Part) else one.default,
    )


def _whole(check: Callable[[Any], None]) -> Any:
    def checked(self: PartModel) -> PartModel:
        check(self)
        return self

    return checked


def hint_of_model(hint: Any) -> Any:
    """Return a hint with models in the place of parts, and the library's own marks in the place of ours."""
    origin, parts = get_origin(hint), get_args(hint)
    if isinstance(hint, type) and issubclass(hint, Part):
        return model_of(hint)
    if origin is Annotated:
        inner, marks = hint_of_model(parts[0]), parts[1:]
        shapes = [mark for mark in marks if isinstance(mark, ByShape)]
        if shapes:
            inner = _by_shape(parts[0], shapes[0])
        made = [one for mark in marks for one in _marks_of_model(mark)]
        return reduce(lambda so_far, mark: Annotated[so_far, mark], made, inner)
    if origin in (Union, UnionType):
        return reduce(or_, map(hint_of_model, parts))
    if origin in (list, dict):
        return origin[tuple(map(hint_of_model, parts))] if len(parts) > 1 else origin[hint_of_model(parts[0])]
    return hint


def _by_shape(union: Any, shape: ByShape) -> Any:
    first, other = map(hint_of_model, get_args(union))

    def shape_of(value: object) -> str:
        return shape.first if isinstance(value, shape.kind) else shape.other

    return Annotated[
        Annotated[first, Tag(shape.first)] | Annotated[other, Tag(shape.other)], Discriminator(shape_of)
    ]


def _marks_of_model(mark: Any) -> list[Any]:
    match mark:
        case Before():
            return [BeforeValidator(mark.change, json_schema_input_type=hint_of_model(mark.shown))]
        case After():
            return [AfterValidator(mark.change)]
        case InSchema():
            says: Any = mark.says
            return [Field(json_schema_extra=says)]
        case Limits():
            limits = {
                name: getattr(mark, name)
                for name in ("ge", "gt", "le", "min_length", "max_length", "pattern")
                if getattr(mark, name) is not None
            }
            if mark.pattern is not None:
                limits["pattern"] = f"^{mark.pattern}$"
            if mark.as_text:
                limits["strict"] = False
            if not mark.any_size:
                limits["allow_inf_nan"] = False
            return [Field(**limits)]
    return []


def validated(kind: Any, value: object, document: Document, place: Place) -> tuple[Any, list[Problem]]:
    """Check what did not fit as it stood: the part, and all problems; see `documents.checking`."""
    adapter = _adapter(kind)
    by_name = document.by_name or None
    try:
        return part_from(adapter.validate_python(value, by_alias=True, by_name=by_name)), []
    except ValidationError as error:
        items = error.errors()
        problems = problems_of(error, kind, document, place)
    mistaken = {str(item["loc"][0]) for item in items if item["loc"]}
    if not isinstance(value, dict) or not mistaken & set(value):
        return None, problems
    try:
        kept = {key: value[key] for key in value if key not in mistaken}
        return part_from(adapter.validate_python(kept, by_alias=True, by_name=by_name)), problems
    except ValidationError:
        return None, problems


def part_from(value: Any) -> Any:
    """Return the part that a model is of, and what else may be in one as it is."""
    if isinstance(value, PartModel):
        return value.part_kind(**{name: part_from(getattr(value, name)) for name in value.model_fields_set})
    if isinstance(value, list):
        return [part_from(one) for one in value]
    if isinstance(value, dict):
        return {name: part_from(one) for name, one in value.items()}
    return value


@cache
def _adapter(kind: Any) -> TypeAdapter[Any]:
    return TypeAdapter(hint_of_model(kind))


def problems_of(error: ValidationError, kind: Any, document: Document, place: Place) -> list[Problem]:
    """Say what a validation found wrong at a place of a document."""
    return [_problem(item, kind, document, place) for item in error.errors()]


def _problem(item: Any, kind: Any, document: Document, place: Place) -> Problem:
    loc = tuple(item["loc"])
    where = document.existing((*place, *loc))  # without what a checker puts in between
    name = _key_at(document, where) or "the file"
    match item["type"]:
        case "extra_forbidden":
            known = _keys_at(kind, loc[:-1])
            near = _deeper(kind, loc, name) or nearest(name, known)
            message = f"unknown key {name!r}.{near}{_unread(item['input'], document, where)}"
            return document.problem(where, message, key=True)
        case "missing":
            above = document.existing((*place, *loc[:-1]))
            return document.problem(above, f"{_dotted(above)} needs the key {str(loc[-1])!r}.", key=True)
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
            message += _example(kind, loc, name, document)
        case "model_type" | "model_attributes_type":
            message = f"{name}: expected a mapping (key: value); found {found_text(item['input'])}."
            message += _example(kind, loc, name, document)
        case "union_tag_invalid" | "union_tag_not_found":
            message = f"{name}: {item['msg']}."
        case _:
            message = f"{name}: {item['msg'][0].lower()}{item['msg'][1:]}; found {found_text(item['input'])}."
    return document.problem(where, message + _unread(item["input"], document, where))


def _unread(value: object, document: Document, where: Place) -> str:
    """Say why a key has no value, where text is there: after a comma in { }, as in {label: Other, please}, or a #."""
    if value is not None:
        return ""
    if document.stands_alone(where):
        return " A text with a comma stands in quotes inside { }."
    place = document.problem(where, "")
    return (
        f" {AFTER_A_SIGN}"
        if any((one.file, one.line) == (place.file, place.line) for one in document.cut)
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


def _dotted(place: Iterable[str | int]) -> str:
    text = ""
    for step in place:
        text += f"[{step + 1}]" if isinstance(step, int) else f".{step}" if text else str(step)
    return text or "the file"


def _example(kind: Any, loc: Place, name: str, document: Document) -> str:
    """Show how the key of a name is written, in files; a mistake deeper in what it holds is another matter."""
    if document.by_name:
        return ""
    found = [
        example_of(part, one)
        for k, step in enumerate(loc)
        for part in _parts_at(kind, loc[:k])
        for one in fields_of(part).values()
        if step in (one.name, one.key) and one.key == name
    ]
    whole = [] if loc else [part.example for part in parts_in(kind)]
    text = next(filter(None, [*reversed(found), *whole]), "")
    return text and f" Write it as in {name}: {text}."


def _deeper(kind: Any, loc: Place, name: str) -> str:
    """Say where a key goes that is one of a part deeper in: levels under tests."""
    above = [
        one.key
        for part in _parts_at(kind, loc[:-1])
        for one in fields_of(part).values()
        for inner in parts_in(one.hint)
        if name in {deeper.key for deeper in fields_of(inner).values()}
    ]
    return f" It goes under {one_of(list(dict.fromkeys(above)))}." if above else ""


def _keys_at(kind: Any, loc: Place) -> list[str]:
    """List the keys a part knows at a place below it."""
    return sorted({one.key for part in _parts_at(kind, loc) for one in fields_of(part).values()})


def _parts_at(kind: Any, loc: Place) -> list[type[Part]]:
    """List the kinds of parts that there may be at a place below one."""
    kinds = list(parts_in(kind))
    for step in loc:
        deeper = [
            one.hint for part in kinds for name, one in fields_of(part).items() if step in (name, one.key)
        ]
        if deeper:
            kinds = [inner for hint in deeper for inner in parts_in(hint)]
    return kinds
