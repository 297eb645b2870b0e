"""The origin of a codebook or plan: files or values, as they are and as a program has changed them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field, replace
from pathlib import Path
from typing import Any, Generic, TypeVar

from eager_otter.dataclass import dataclass
from eager_otter.documents.values import values_of
from eager_otter.documents.yaml_nodes import LARGEST_FILE, WHAT, Document, compose, read_yaml
from eager_otter.errors import FileProblem, RequestError, shown_path
from eager_otter.gates.reading import is_file, read_text, resolved

T = TypeVar("T")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Origin(Generic[T]):
    """The origin of a codebook or plan, so that it can be changed and written back.

    `read` makes the thing of it. `texts` are those of its files as they are now, the main one (`path`) first, `stored`
    what the files held when they were read; where it comes from values given in a call, there are `values` instead.
    `beside` is what it was given in the call that read it, such as the codebook of a plan.
    `named` says whether `path` is that of a file, rather than a name for messages.
    """

    read: Callable[[Origin[T]], T]
    path: Path
    named: bool = True
    texts: Mapping[Path, str] = field(default_factory=dict)
    stored: dict[Path, str] = field(default_factory=dict)
    values: Any = None
    beside: Any = None

    @classmethod
    def of(cls, document: Document, read: Callable[[Origin[T]], T], *, named: bool) -> Origin[T]:
        """Return where a document comes from: its text, or the values that it was made of."""
        if not document.text:
            return cls(read=read, path=document.path, named=False, values=document.data)
        texts = {document.path: document.text}
        return cls(read=read, path=document.path, named=named, texts=texts, stored=dict(texts))

    def document(self, path: Path | None = None) -> Document:
        """Return one of its documents, the main one by default. Raises FileProblem, DocumentError."""
        path = path or self.path
        if not self.texts and path == self.path:
            document = values_of(self.values)
            document.path = self.path
            return document
        text = self.texts.get(path)
        return read_yaml(path) if text is None else compose(text, path)

    def with_text_of(self, document: Document) -> Origin[T]:
        """Remember a further file as it was read."""
        if document.path in self.texts or not self.texts:
            return self
        return replace(
            self,
            texts={**self.texts, document.path: document.text},
            stored={**self.stored, document.path: document.text},
        )

    def changed(self, data: Mapping[Path, Any]) -> T:
        """Return the thing of which these files, by path, say something else. Raises RequestError, DocumentError."""
        if not self.texts:
            return self.read(replace(self, values=data[self.path]))
        from eager_otter.documents.rewriting import rewritten

        texts = {path: rewritten(self.texts[path], path, said) for path, said in data.items()}
        return self.read(replace(self, texts={**self.texts, **texts}, stored=dict(self.stored)))

    def with_beside(self, beside: Any) -> T:
        """Return the thing read again with something else beside it. Raises DocumentError."""
        return self.read(replace(self, beside=beside))

    def save(self, path: Path | None, *, force: bool, bound: bool) -> Path:
        """Write it to the files it comes from, or its one file to another `path`.

        With `bound`, paths in it start from its own folder, so that it can be written to no other one. Raises
        RequestError, FileProblem.
        """
        target = path or (self.path if self.named else None)
        if target is None:
            raise RequestError("It was not read from a file; say where to write it: save('…').")
        if bound and resolved(target.parent) != resolved(self.path.parent):
            raise RequestError(
                f"{shown_path(target)}: paths in it start from the folder {shown_path(self.path.parent)}; write it "
                "there."
            )
        home = self.named and resolved(target) == resolved(self.path)
        texts = {name: text for name, text in self.texts.items() if text != self.stored.get(name)}
        if not self.texts:
            from eager_otter.documents.rewriting import yaml_of

            texts = {target: yaml_of(self.values)}
        elif home:
            _check_unchanged({name: self.stored[name] for name in texts if name in self.stored})
        else:
            others = [name for name in texts if name != self.path]
            if others:
                raise RequestError(
                    f"{shown_path(others[0])} was changed too; write them all in their places: save()."
                )
            texts = {target: self.texts[self.path]}
        ours = home and bool(self.texts)
        if texts:
            from eager_otter.gates.writing import write_text, written_beside

            with written_beside(list(texts), force=force or ours) as parts:
                for part, text in zip(parts, texts.values(), strict=True):
                    write_text(part, text)
            self.stored.update(texts if home else {})
        return target


def _check_unchanged(stored: Mapping[Path, str]) -> None:
    """Refuse to write over what somebody else has changed since it was read."""
    for path, text in stored.items():
        if is_file(path) and read_text(path, WHAT, most=LARGEST_FILE) != text:
            raise FileProblem(
                f"{shown_path(path)}: has been changed since it was read; read it again, and change it again."
            )
