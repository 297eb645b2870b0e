"""What is known of a column beside its values: its text, labels, missing codes, and where this stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import Literal

from eager_otter.dataclass import dataclass

Kind = Literal["", "single", "number", "text", "date"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Described:
    """What is known of a column beside its values: its text, the labels of its codes, those that are no answer.

    `stem` and `item` are the question and the answer or item that the column is of, where these are told apart;
    columns of one `group` are one question. `kind` is what a dictionary says that it is, "" for nothing; `origin` says
    where this stands, `section` the part of the questionnaire. `joined_by` is the sign between the answers of a list.
    """

    text: str = ""
    labels: Mapping[str, str] = field(default_factory=dict)
    missing: tuple[str, ...] = ()
    stem: str = ""
    item: str = ""
    group: str = ""
    kind: Kind = ""
    weight: bool = False
    section: str = ""
    origin: str = ""
    joined_by: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnToWrite:
    """A column to write: its name, label, what was asked, and its categories as (code, label, missing).

    `kind` is "single", "number", "date" or "text"; `group` names the question that several columns are of, `section`
    the part of the questionnaire.
    """

    name: str
    label: str
    text: str = ""
    kind: Kind = "text"
    categories: Sequence[tuple[str, str, bool]] = ()
    group: str = ""
    section: str = ""
    weight: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnsTogether:
    """Columns of one question to write: a multiple response, or a grid."""

    name: str
    text: str
    type: str
    columns: list[str] = field(default_factory=list)
