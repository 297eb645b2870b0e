"""Rooms: no module needs another that needs it, imports for type checkers among them."""

from __future__ import annotations

import grimp


def test_no_module_needs_itself_not_even_for_its_types() -> None:
    graph = grimp.build_graph("eager_otter", exclude_type_checking_imports=False)
    needs = {module: set(graph.find_modules_directly_imported_by(module)) for module in graph.modules}
    needs["eager_otter"] = set()  # the public surface names everything, and nothing below it needs it
    assert not [module for module in needs if module != "eager_otter" and "eager_otter" in graph.find_modules_directly_imported_by(module) and not module.startswith("eager_otter.cli")]  # fmt: skip
    left = dict(needs)
    while left:
        free = [module for module, wanted in left.items() if not wanted & left.keys() - {module}]
        assert free, f"in a circle: {sorted(left)}"
        for module in free:
            del left[module]
