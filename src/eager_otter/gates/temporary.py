"""The gate for what is written only for a while: folders that go when nothing needs them any more."""

from __future__ import annotations

import weakref
from pathlib import Path


class TemporaryFolder:
    """A folder beside other temporary files; it goes with all that is in it when this object does, or at the end."""

    def __init__(self) -> None:
        import shutil
        import tempfile

        self.path = Path(tempfile.mkdtemp(prefix="eager-otter-"))
        weakref.finalize(self, shutil.rmtree, self.path, ignore_errors=True)
