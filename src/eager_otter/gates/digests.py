"""The gate for values in the cache: a digest by all that they hold, and JSON that they come back from as they were."""

from __future__ import annotations

import base64
import hashlib
import os
from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from functools import lru_cache
from pathlib import Path, PurePath
from typing import Any

import numpy as np

COUNTING = ("codebook", "core", "counting", "data", "data/kinds", "gates")  # rooms that say what is counted
KINDS_OF_ARRAYS = "biuf"  # yes and no, whole numbers, floating ones


class NoDigest(Exception):
    """A value holds something of which a digest would not tell all."""


def digest_of_value(value: object) -> str:
    """Return a digest of a value by all that it holds, the types included. Raises NoDigest.

    It may hold plain values, tuples, lists, sets, mappings, arrays, paths, classes, and objects of dataclasses.

    >>> digest_of_value((1, "a")) == digest_of_value((1, "a")), digest_of_value(1) == digest_of_value(1.0)
    (True, False)
    """
    digest = hashlib.sha256()
    for piece in _pieces(value):
        digest.update(len(piece).to_bytes(8, "little") + piece)
    return digest.hexdigest()


@lru_cache(maxsize=1)
def state_of_program() -> str:
    """Return a digest of the state of this program's files that count: another one, once any was put there anew."""
    root = Path(__file__).parents[1]
    states: list[tuple[str, str, int, int]] = []
    for room in COUNTING:
        with os.scandir(root / room) as entries:
            files = [(entry.name, entry.stat()) for entry in entries if entry.name.endswith(".py")]
        states += [(room, name, status.st_size, status.st_mtime_ns) for name, status in files]
    return hashlib.sha256(repr(sorted(states)).encode()).hexdigest()


def _pieces(value: Any) -> Iterable[bytes]:
    kind = type(value)
    yield f"{kind.__module__}.{kind.__qualname__}".encode()
    if value is None or isinstance(value, bool | int | float | complex | str | bytes):
        yield _plain(value).encode("utf-8", "surrogatepass")
        own = getattr(value, "__dict__", None)  # of texts and numbers that remember how they were written
        if own:
            yield from _pieces(own)
    elif isinstance(value, PurePath):
        yield str(value).encode("utf-8", "surrogateescape")
    elif isinstance(value, np.ndarray) and value.dtype.kind in KINDS_OF_ARRAYS:
        yield f"{value.dtype.str} {value.shape}".encode()
        yield np.ascontiguousarray(value).tobytes()
    elif isinstance(value, np.generic) and value.dtype.kind in KINDS_OF_ARRAYS:
        yield value.tobytes()
    elif isinstance(value, type):
        yield f"{value.__module__}.{value.__qualname__}".encode()
    elif isinstance(value, list | tuple):
        yield str(len(value)).encode()
        for one in value:
            yield from _pieces(one)
    elif isinstance(value, set | frozenset):
        yield str(len(value)).encode()
        yield from sorted(digest_of_value(one).encode() for one in value)
    elif isinstance(value, Mapping):
        yield str(len(value)).encode()
        for key, one in value.items():
            yield from _pieces(key)
            yield from _pieces(one)
    elif is_dataclass(value):
        for one in fields(value):
            yield one.name.encode()
            yield from _pieces(getattr(value, one.name))
    else:
        raise NoDigest(kind.__qualname__)


def _plain(value: Any) -> str:
    """Write a plain value as its plain type would."""
    for kind in (bool, int, float, complex, str, bytes):
        if isinstance(value, kind):
            plain: Any = kind
            return repr(plain(value))
    return repr(value)


def as_plain(value: Any, classes: Mapping[str, type]) -> Any:
    """Return a value as JSON takes it, from which `as_before` makes it again, bit by bit.

    It may hold plain values, tuples, mappings, arrays, and objects of the dataclasses among `classes`, by name. Raises
    NoDigest for others.
    """
    if value is None or type(value) in (bool, int, str):
        return value
    if type(value) is float:
        return ["float", value.hex()]
    if type(value) is tuple:
        return ["tuple", *(as_plain(one, classes) for one in value)]
    if type(value) is dict:
        return ["dict", *([as_plain(key, classes), as_plain(one, classes)] for key, one in value.items())]
    if type(value) is np.ndarray and value.dtype.kind in KINDS_OF_ARRAYS:
        whole = np.ascontiguousarray(value)
        return ["array", whole.dtype.str, list(whole.shape), base64.b64encode(whole.tobytes()).decode()]
    name = type(value).__qualname__
    if classes.get(name) is type(value) and is_dataclass(value):
        return ["object", name, *(as_plain(getattr(value, one.name), classes) for one in fields(value))]
    raise NoDigest(name)


def as_before(plain: Any, classes: Mapping[str, type]) -> Any:
    """Make a value again from what `as_plain` gave. Raises ValueError, KeyError, TypeError, IndexError."""
    if not isinstance(plain, list):
        return plain
    kind, *rest = plain
    if kind == "float":
        return float.fromhex(rest[0])
    if kind == "tuple":
        return tuple(as_before(one, classes) for one in rest)
    if kind == "dict":
        return {as_before(key, classes): as_before(one, classes) for key, one in rest}
    if kind == "array":
        dtype, shape, text = rest
        found = np.frombuffer(base64.b64decode(text, validate=True), np.dtype(dtype))
        return found.reshape(shape).copy()
    if kind == "object":
        made = classes[rest[0]]
        names = [one.name for one in fields(made)]
        return made(**dict(zip(names, (as_before(one, classes) for one in rest[1:]), strict=True)))
    raise ValueError(kind)
