"""Tests, corrections and measures of association: how each is computed, worded, and shown in a working."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Generic, Literal, TypeVar

from eager_otter.core.arrays import FloatArray
from eager_otter.core.association import TwoWay, WholeTableTest
from eager_otter.core.means import PairMeans
from eager_otter.core.proportions import PairShares
from eager_otter.looks.words import Words, said

POOLED_SHARE = "p = (e₁p₁ + e₂p₂) / (e₁ + e₂), with shares p₁, p₂ and effective bases e₁, e₂"


Order = Literal["ordered", "two answers", "none"]


class Method:
    """A test or a correction, asked for by its `name`; the usual one has the lowest `rank`.

    `sentence` says in the notes what is done, `formula` in a working how.
    """

    name: str = ""
    rank: int = 0
    sentence: str = ""
    formula: str = ""


class ShareTest(Method, ABC):
    """A test of two shares, of columns that share nobody; where they share people, the linearised variance is taken.

    With `on_t` the statistic is Student's, on e₁ + e₂ − 2 degrees of freedom; else it is normal. `minds_thin` tells the
    tests that take the pooled variance in a thin pair, where their own is too lenient.
    """

    on_t: bool = False
    minds_thin: bool = False

    @abstractmethod
    def variance(self, pairs: PairShares) -> FloatArray:
        """Return the variance of the difference of two shares: (rows, pairs)."""

    @abstractmethod
    def parts(self, pairs: PairShares) -> tuple[FloatArray, FloatArray]:
        """Return what each of the two columns adds to the variance: (rows, pairs) each."""


class MeanTest(Method, ABC):
    """A test of two means, of columns that share nobody; where they share people, the linearised variance is taken."""

    @abstractmethod
    def variance(self, pairs: PairMeans) -> FloatArray:
        """Return the variance of the difference of two means: (rows, pairs)."""

    @abstractmethod
    def degrees(self, pairs: PairMeans) -> FloatArray:
        """Return the degrees of freedom: (rows, pairs)."""

    @abstractmethod
    def parts(self, pairs: PairMeans) -> tuple[FloatArray, FloatArray]:
        """Return what each of the two columns adds to the variance: (rows, pairs) each."""


class MedianTest(Method):
    """How medians are compared, if they are: `tests`; core has its formula."""

    tests: bool = True


class TrendTest(Method):
    """A test of whether figures rise or fall over ordered columns; core has its formula."""


class Correction(Method, ABC):
    """A correction of P values for many comparisons. `short` names it where there is little room.

    `corrects` is False for none at all. `in_page` is the same as `adjust` for the script of a web page: a JavaScript
    function of the P values of one family, rising and none missing, to the corrected ones.
    """

    short: str = ""
    in_page: str = ""
    corrects: bool = True

    @abstractmethod
    def adjust(self, p: FloatArray) -> FloatArray:
        """Correct the P values (rows, tests) of families, one a row; NaN, where there is no test, stays NaN."""


E = TypeVar("E")


class WholeTableMethod(Method, ABC, Generic[E]):
    """A test of a whole table, made of one kind of evidence; the first that `fits` is made, others `on_demand`.

    `different` and `alike` say what comes of it at a confidence percent; both are "" where nothing is judged.
    """

    of: type[E]
    on_demand: bool = False
    different: str = said("the columns differ significantly at the {level} % level")
    alike: str = said("no significant difference between the columns at the {level} % level")

    def fits(self, evidence: E) -> bool:
        """Return whether it is the test for such a table."""
        return True

    def why_not(self, evidence: E) -> str:
        """Say why the test cannot be made of such a table; "" where it can."""
        return ""

    @abstractmethod
    def test(self, evidence: E) -> WholeTableTest:
        """Test a table that is `testable`."""

    @abstractmethod
    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say its statistic, with its P value said already."""


class AssociationMeasure(Method, ABC):
    """A measure of association, 0 for none and 1 or −1 for a perfect one; the first with a `reason` fits a table.

    With `ordered` its sign says which way the association runs.
    """

    ordered: bool = True

    @abstractmethod
    def value(self, table: TwoWay) -> float:
        """Measure a table of two rows and two columns at least, rows and columns in their order."""

    def p_value(self, _: TwoWay) -> float:
        """Return the P value of no association; NaN where the measure has none of its own."""
        return float("nan")

    @abstractmethod
    def reason(self, shape: tuple[int, ...], rows: Order, columns: Order) -> str:
        """Say why it fits a table of a shape whose sides have such orders; "" where it does not."""
