"""The main findings of a report: the first of its notable differences, by section, each with its table."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.asking.notable import Notable
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import said
from eager_otter.report.report import Report

MAIN_FINDINGS = said("Main findings")
MOST = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class SummarySection:
    """Findings of one section of the report, the largest effect first; `heading` is "" where there are no sections."""

    heading: str
    findings: tuple[Notable, ...]


def summary_of(report: Report, most: int = MOST) -> tuple[SummarySection, ...]:
    """Choose the largest findings of a report and put them under the sections that their tables are in.

    Sections are in the order of the report.
    """
    chosen: Sequence[Notable] = report.notable[:most]
    headings = dict.fromkeys(table.heading for table in report.tables)
    headings |= dict.fromkeys(one.heading for one in chosen)
    sections = (
        SummarySection(heading=heading, findings=tuple(one for one in chosen if one.heading == heading))
        for heading in headings
    )
    return tuple(section for section in sections if section.findings)
