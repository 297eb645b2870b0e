"""Count on a cluster of Dask's scheduler: blocks of parts as tasks, added here in the order of the parts."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from concurrent.futures import CancelledError
from functools import partial, reduce
from typing import Any, TypeVar

from eager_otter.counting.passes import Pass
from eager_otter.counting.running import InTurn, Share, Tell, count_share, in_order, needs_sharing, shares_of
from eager_otter.data.converted import ConvertedFile
from eager_otter.data.joined_file import JoinedFile
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.errors import MachineProblem, MissingPackage, OtterError, RequestError
from eager_otter.version import __version__

S = TypeVar("S")
ANSWER_TIME = 15  # seconds to wait for a scheduler, and for its workers
AHEAD = 3  # blocks handed out per worker before their turn
RETRIES = 3  # times that a block is counted again where a worker is lost with it
MOMENT = 0.05  # seconds
RUNNING = ("running", "connecting")
ADDRESS = re.compile(r"([a-z]+://)?(\[[0-9a-fA-F:]+\]|[\w.-]+):\d{1,5}")


@dataclass(frozen=True, slots=True, eq=False)
class OnCluster:
    """The workers of a scheduler; `client` is connected to it."""

    client: Any

    def count(self, one_pass: Pass[S], responses: Responses, tell: Tell | None = None) -> S:
        """Count all parts: see `Runner.count`. Short data are counted here. Raises RequestError for a long CSV file."""
        if not needs_sharing(responses):
            return InTurn().count(one_pass, responses, tell)
        file = responses.file
        if isinstance(file, ConvertedFile) or (isinstance(file, JoinedFile) and file.has_copies):
            raise RequestError(
                f"{file.place}: workers of a cluster read Parquet files on storage that all of them see; "
                "save the data as Parquet there, or count them by processes of this machine (workers)."
            )
        ahead = AHEAD * max(1, len(self.client.scheduler_info(n_workers=-1)["workers"]))
        start = partial(self._submitted, one_pass)
        states: Iterator[S] = in_order(shares_of(one_pass, responses), ahead, start, self._result, tell)
        return reduce(one_pass.added, states)

    def _submitted(self, one_pass: Pass[S], share: Share) -> Any:
        """Hand a block out. Raises MachineProblem where the scheduler is gone."""
        try:
            return self.client.submit(count_share, one_pass, share, pure=False, retries=RETRIES)
        except Exception as error:
            if self.client.status in RUNNING:
                raise
            raise MachineProblem(GONE) from error

    def _result(self, future: Any) -> Any:
        """Wait for a block. Raises MachineProblem where the scheduler or all workers are gone, else what it raised."""
        while not future.done():
            if self.client.status not in RUNNING:
                raise MachineProblem(GONE)
            time.sleep(MOMENT)
        try:
            return future.result()
        except (OtterError, MemoryError):
            raise
        except (CancelledError, OSError) as error:
            raise MachineProblem(GONE) from error
        except Exception as error:  # whatever the cluster raises
            name = type(error).__name__
            if name in ("KilledWorker", "FutureCancelledError"):
                raise MachineProblem(
                    f"A block of rows was lost with {RETRIES + 1} workers of the cluster, most likely for lack of "
                    "memory: give the workers more, or make fewer tables at once."
                ) from error
            raise MachineProblem(
                f"A worker of the cluster could not count its rows ({name}: {error})."
            ) from error


GONE = "The scheduler of the cluster is gone before all rows were counted; nothing was written. Start it and run again."


def cluster_at(cluster: Any) -> OnCluster:
    """Take a client of Dask, or the address of a scheduler.

    Raises MachineProblem where no scheduler answers, where it has no workers, or where these have another version of
    this package or none; MissingPackage.
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise MissingPackage(
            "Counting on a cluster needs the package distributed. Install it with: pip install 'eager-otter[cluster]'"
        ) from error
    client = cluster
    if isinstance(cluster, str):
        if not ADDRESS.fullmatch(cluster):
            raise MachineProblem(f"{cluster!r} is no address of a scheduler; they look like tcp://host:8786.")
        try:
            client = Client(cluster, timeout=ANSWER_TIME, set_as_default=False)  # type: ignore[no-untyped-call]
        except (OSError, ValueError, TypeError) as error:
            raise MachineProblem(
                f"No scheduler answers at {cluster!r}. Addresses look like tcp://host:8786; start one "
                "with: dask scheduler"
            ) from error
    if not hasattr(client, "submit") or not hasattr(client, "scheduler_info"):
        raise MachineProblem(
            f"A cluster is the address of a scheduler, or a client of Dask; found {client!r}."
        )
    if not client.scheduler_info(n_workers=-1)["workers"]:
        raise MachineProblem(
            "The scheduler has no workers. Start them, for example with: dask worker tcp://host:8786"
        )
    try:
        versions = set(client.run(_version).values())
    except Exception as error:
        raise MachineProblem(
            f"The workers of the cluster cannot load eager-otter ({type(error).__name__}: {error}). Install version "
            f"{__version__} on each."
        ) from error
    if versions != {__version__}:
        found = ", ".join(sorted(versions))
        raise MachineProblem(
            f"The workers of the cluster have version {found} of eager-otter, this is {__version__}. Install the same."
        )
    return OnCluster(client)


def _version() -> str:
    return __version__
