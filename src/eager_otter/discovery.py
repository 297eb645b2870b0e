"""Finding what registers itself by lying in a folder."""

from __future__ import annotations

from importlib import import_module
from pkgutil import iter_modules
from types import ModuleType


def modules_in(package: ModuleType) -> tuple[ModuleType, ...]:
    """Import all modules of a package, in the order of their names."""
    return tuple(
        import_module(f"{package.__name__}.{module.name}") for module in iter_modules(package.__path__)
    )
