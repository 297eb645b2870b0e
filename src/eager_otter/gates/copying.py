"""The gate for copies on this machine of files at addresses, which are read as a whole; messages name the address."""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from eager_otter.dataclass import dataclass
from eager_otter.errors import COPIES, FileProblem, address_of, name_of, shown_path
from eager_otter.gates.reading import digest_of_bytes, is_file, is_stored, state_of
from eager_otter.gates.storage import WHAT, Stored, copy_to, local_path, stored, stored_anew
from eager_otter.gates.temporary import TemporaryFolder
from eager_otter.gates.text import size_text

if TYPE_CHECKING:
    from eager_otter.gates.cache import Cache, CachePlace

LEFT_FREE = 64 << 20  # bytes of a disk that a copy leaves free


@dataclass(frozen=True, slots=True)
class Copied:
    """A copy of a file: the address it is of, where it is, and what the storage told of the file then.

    It lasts in a `cache`, or is gone with its `folder` when this program ends.
    """

    address: Path
    path: Path
    told: Stored
    cache: Cache | None = None
    folder: TemporaryFolder | None = None


_BY_ADDRESS: dict[str, Copied] = {}
_BY_COPY: dict[Path, Copied] = {}


def on_this_machine(path: Path, cache: Cache | None = None) -> Path:
    """Return a path on this machine: of a file at an address, that of a copy; it is made where none is the same.

    The address may be one of this machine, which needs no copy. A copy is kept in the `cache` if there is one and the
    storage tells versions, else as long as this program runs. Raises FileProblem, MissingPackage, RequestError for keys
    in an address.
    """
    if not is_stored(path):
        return path
    here = local_path(path)
    if here is not None:
        return here
    told = stored(path)
    address = str(address_of(path))  # the same from wherever a plan names it
    known = _BY_ADDRESS.get(address)
    if known is None or not _is_of(known, told):
        known = _kept(path, told, cache) or _for_now(path, told, known)
        _BY_ADDRESS[address] = _BY_COPY[known.path] = known
        COPIES[known.path] = path
    return known.path


def beside(path: Path, name: str) -> Path | None:
    """Return the file of a name in the folder of another, on this machine; None where there is none.

    Of a copy, it is looked for at the address that the copy is of. Raises as `on_this_machine` does.
    """
    known = _BY_COPY.get(path)
    if known is None:
        return path.parent / name if is_file(path.parent / name) else None
    address = known.address.parent / name
    try:
        return on_this_machine(address, known.cache)
    except FileProblem as error:
        if isinstance(error.__cause__, FileNotFoundError):
            return None
        raise


def lasts(path: Path) -> bool:
    """Return whether a path is there the next time, too: it is no copy, or one that is kept."""
    known = _BY_COPY.get(path)
    return known is None or known.cache is not None


def is_newest(path: Path) -> bool:
    """Return whether a path is no copy, or one of the file that is at its address now. Raises as `stored` does."""
    known = _BY_COPY.get(path)
    return known is None or _is_of(known, stored(known.address))


def changed_there(path: Path) -> str | None:
    """Return when the file that a copy is of was changed, "" where that is not told; None for what is no copy."""
    known = _BY_COPY.get(path)
    return None if known is None else known.told.changed_text


def _is_of(known: Copied, told: Stored) -> bool:
    """Return whether a copy is there, and of a file of which this is told."""
    return bool(told.version) and known.told == told and is_file(known.path)


def _for_now(path: Path, told: Stored, before: Copied | None) -> Copied:
    """Copy a file for as long as this program runs, in the place of the copy `before` where that is for now, too."""
    folder = (before.folder if before is not None else None) or TemporaryFolder()
    copy = folder.path / name_of(path)
    part = copy.with_name(f"{copy.name}.part")
    _copy(path, told, part)
    part.replace(copy)
    return Copied(path, copy, told, folder=folder)


def _kept(path: Path, told: Stored, cache: Cache | None) -> Copied | None:
    """Return a copy in the cache, an old one where it is the same and undamaged; None where none can be kept."""
    if cache is None or not told.version or told.size > cache.most_of_one:
        return None
    place = cache.place(name_of(path), hashlib.sha256(str(address_of(path)).encode()).hexdigest())
    copy = place.copy_of(name_of(path)).absolute()
    if not _is_whole(place, copy, told):
        part = copy.with_name(f"{copy.name}.{os.getpid()}")
        try:
            place.make()
            _copy(path, told, part)
            part.replace(copy)
            place.write_facts(_facts(path, copy, told, digest_of_bytes(copy, WHAT)))
        except FileProblem:  # of the file itself
            raise
        except OSError as error:
            place.cannot(error)
            return None
        finally:
            with suppress(OSError):
                part.unlink(missing_ok=True)
        cache.told.append(
            f"Copied for the next time: {name_of(path)}, {size_text(copy.stat().st_size)} (eager-otter cache)."
        )
        cache.make_room()
    place.note_use()
    return Copied(path, copy, told, cache)


def _facts(path: Path, copy: Path, told: Stored, digest: str) -> dict[str, object]:
    """Return what is noted of a copy, by which it is known again."""
    return {"copy of": shown_path(path), "told": told.state, "state": state_of(copy), "digest": digest}


def _is_whole(place: CachePlace, copy: Path, told: Stored) -> bool:
    """Return whether a copy is as it was written, of a file of which this is told."""
    facts = place.facts() or {}
    state = state_of(copy)
    if state is None or facts.get("told") != told.state:
        return False
    with suppress(FileProblem):
        return list(state) == facts.get("state") or digest_of_bytes(copy, WHAT) == facts.get("digest")
    return False


def _copy(path: Path, told: Stored, copy: Path) -> None:
    """Copy what is at an address. Raises FileProblem where it is changed meanwhile, or there is no room for it."""
    import shutil

    place = shown_path(path)
    if shutil.disk_usage(copy.parent).free < told.size + LEFT_FREE:
        raise FileProblem(
            f"{place}: has {size_text(told.size)}, and there is no room for a copy in {copy.parent}; name a folder on "
            "another disk: for what lasts in EAGER_OTTER_CACHE, else in TMPDIR."
        )
    copy_to(path, copy)
    if copy.stat().st_size < told.size or stored_anew(path) != told:
        raise FileProblem(f"{place}: was changed while it was copied to this machine; run it again.")
