"""A report as slides: a title, contents, and a slide per table with a native chart or a native table."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any

from eager_otter.errors import MissingPackage
from eager_otter.gates.outputs import install_line
from eager_otter.gates.reading import check_package, reading
from eager_otter.gates.text import fitted, held, one_line
from eager_otter.gates.writing import write_bytes
from eager_otter.report.chart_spec import ChartSpec, charts_of
from eager_otter.report.contents import contents_titles
from eager_otter.report.labels import lines_needed
from eager_otter.report.plain import statement_text
from eager_otter.report.report import Report
from eager_otter.report.sheets import LONGEST_PROPERTY, TEXT_STAYS_TEXT
from eager_otter.report.summary import MAIN_FINDINGS, summary_of
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import cell_text, line_sign
from eager_otter.version import __version__

WIDE = (12_192_000, 6_858_000)  # 16:9, in English Metric Units
INCH = 914_400
ROWS_ON_A_SLIDE, COLUMNS_ON_A_SLIDE, ENTRIES_ON_A_SLIDE = 16, 12, 22
LONGEST_TITLE, LONGEST_NAME = 200, 60  # characters of a title, of a name in a legend
PLAIN_GRID = "{2D5ABB26-0587-4C30-8999-92F81FD0307C}"  # the format's own name of a table without a style
ROWS_WITH_LETTERS_BELOW = 12
FOOT_LINE, FOOT_CHARACTERS = 0.135, 17.0  # of the foot: inches a line, widths of a digit an inch
BARS_ON_A_SLIDE = 30  # of more, the answers are spread over several slides
LABEL_ROOM = 0.013  # of the axis, for a character of a label
METHOD_LINES, METHOD_CHARACTERS = 34, 14.0  # of a method slide: its lines, widths of a digit an inch
FIXED = datetime(2000, 1, 1)
ZIP_DATE = (2000, 1, 1, 0, 0, 0)


def write(report: Report, path: Path) -> None:
    """Write a report as .pptx.

    The plan's `slides` may name a template, whose layouts are used, and ask for tables instead of charts. Raises
    MissingPackage, FileProblem for a template that cannot be read.
    """
    _Slides(report).write(path)


class _Slides:
    def __init__(self, report: Report) -> None:
        try:
            from pptx import Presentation
            from pptx.util import Emu
        except ImportError as error:
            raise MissingPackage(f"Slides need another package: {install_line('slides')}") from error
        self.report, self.theme, self.say = report, report.theme, report.words
        self.titles = dict(
            zip((table.id for table in report.tables), contents_titles(report.tables), strict=True)
        )
        template = None if report.plan is None else report.plan.slides.template
        self.as_tables = report.plan is not None and report.plan.slides.show == "table"
        if template is None:
            self.deck: Any = Presentation()
            self.deck.slide_width, self.deck.slide_height = Emu(WIDE[0]), Emu(WIDE[1])
        else:
            check_package(template, "a .pptx template")
            with reading(template, "a .pptx template"):
                self.deck = Presentation(str(template))
        _remember_part_names(self.deck.part.package)
        self.own = template is None
        self.width: int = int(self.deck.slide_width)
        self.height: int = int(self.deck.slide_height)
        self.edge = int(0.5 * INCH)

    def write(self, path: Path) -> None:
        """Make all slides and save them, the same bytes for the same report."""
        self._title_slide()
        contents = list(self._contents_slides())
        findings = self._summary_slide()
        first = {}
        for table in self.report.tables:
            slides = self._table_slides(table)
            first[table.id] = slides[0]
        self._fill_contents(contents, first)
        for shape, table_id in findings:
            if table_id in first:
                shape.click_action.target_slide = first[table_id]
        self._method_slides()
        properties = self.deck.core_properties
        properties.title = fitted(one_line(self.report.shown_title), LONGEST_PROPERTY)
        properties.author = fitted(one_line(self.report.author), LONGEST_PROPERTY)
        properties.comments = maker_line(one_line(self.report.provenance))
        properties.created = properties.modified = FIXED
        properties.last_modified_by, properties.revision = "", 1
        held = io.BytesIO()
        self.deck.save(held)
        write_bytes(path, _repeatable(held.getvalue()))

    # --- slides -----------------------------------------------------------------------------------------

    def _slide(self, title: str, *names: str) -> Any:
        """Add a slide on the first layout of one of some names that has a title, else on any that has one."""
        layouts = [layout for layout in self.deck.slide_layouts if _title_of(layout) is not None]
        chosen = next((layout for name in names for layout in layouts if layout.name == name), None)
        slide = self.deck.slides.add_slide(chosen or (layouts or list(self.deck.slide_layouts))[0])
        box = slide.shapes.title
        if box is None:
            box = slide.shapes.add_textbox(self.edge, self.edge // 2, self.width - 2 * self.edge, INCH)
        box.text_frame.text = fitted(one_line(title), LONGEST_TITLE)
        if self.own:
            box.left, box.top = self.edge, int(0.3 * INCH)
            box.width, box.height = self.width - 2 * self.edge, int(0.8 * INCH)
            box.text_frame.word_wrap = True
            self._style(box.text_frame, 24 if len(title) < 90 else 18, self.theme.river, bold=True)
        for shape in list(slide.placeholders):
            if shape.shape_id != box.shape_id:
                shape.element.getparent().remove(shape.element)
        return slide

    def _style(self, frame: Any, points: float, color: str, *, bold: bool = False) -> None:
        from pptx.dml.color import RGBColor
        from pptx.enum.text import PP_ALIGN
        from pptx.util import Pt

        for paragraph in frame.paragraphs:
            paragraph.alignment = PP_ALIGN.LEFT
            for run in paragraph.runs:
                run.font.size, run.font.bold, run.font.name = Pt(points), bold, self.theme.font
                run.font.color.rgb = RGBColor.from_string(color.lstrip("#"))

    def _text(
        self, slide: Any, box: tuple[int, int, int, int], lines: Sequence[str], points: float, color: str
    ) -> Any:
        shape = slide.shapes.add_textbox(*box)
        frame = shape.text_frame
        frame.word_wrap = True
        frame.text = held("\n".join(lines))
        self._style(frame, points, color)
        return shape

    def _title_slide(self) -> None:
        slide = self._slide(self.report.shown_title, "Title Slide")
        box = (self.edge, int(1.4 * INCH), self.width - 2 * self.edge, INCH)
        lines = [
            self.say("{count} {count:table|tables}", count=len(self.report.tables)),
            self.report.provenance,
        ]
        self._text(slide, box, lines, 12, self.theme.quiet)
        if self.theme.logo is not None:
            top = self.height - int(1.3 * INCH)
            with reading(self.theme.logo, "a picture"):
                slide.shapes.add_picture(str(self.theme.logo), self.edge, top, height=int(0.8 * INCH))

    def _contents_slides(self) -> Iterator[tuple[Any, list[Table]]]:
        tables = list(self.report.tables)
        for start in range(0, len(tables), ENTRIES_ON_A_SLIDE):
            title = self.say("Contents") if start == 0 else self.say("Contents (continued)")
            yield self._slide(title, "Title Only"), tables[start : start + ENTRIES_ON_A_SLIDE]

    def _fill_contents(self, contents: Sequence[tuple[Any, list[Table]]], first: dict[str, Any]) -> None:
        """Link each entry of the contents to the slide of its table."""
        half = ENTRIES_ON_A_SLIDE // 2
        for slide, tables in contents:
            for k, table in enumerate(tables):
                title = self.titles[table.id]
                left = self.edge + (k // half) * (self.width - 2 * self.edge) // 2
                top = int(1.3 * INCH) + (k % half) * int(0.48 * INCH)
                box = (left, top, (self.width - 2 * self.edge) // 2 - self.edge // 2, int(0.45 * INCH))
                shape = self._text(slide, box, [fitted(one_line(title), 78)], 11, self.theme.river)
                shape.click_action.target_slide = first[table.id]

    def _table_slides(self, table: Table) -> list[Any]:
        specs = [] if self.as_tables else charts_of(table)
        if not specs:
            return list(self._native_tables(table))
        slides = []
        for spec in specs:
            parts = spec.split(BARS_ON_A_SLIDE)
            for number, part in enumerate(parts, 1):
                more = (
                    self.say(" ({part} of {parts})", part=number, parts=len(parts)) if len(parts) > 1 else ""
                )
                slides.append(self._chart_slide(part, more))
                self._speak(slides[-1], table)
        return slides

    def _summary_slide(self) -> list[tuple[Any, str]]:
        """Put the main findings on a slide, where there are any; gives each text with the table it belongs to."""
        sections = summary_of(self.report)
        if not sections:
            return []
        slide = self._slide(self.say(MAIN_FINDINGS), "Title Only")
        width, top, findings = self.width - 2 * self.edge, 1.1, []
        for section in sections:
            if section.heading:
                box = (self.edge, int(top * INCH), width, int(0.25 * INCH))
                head = self._text(slide, box, [section.heading], 11, self.theme.river)
                self._style(head.text_frame, 11, self.theme.river, bold=True)
                top += 0.26
            for one in section.findings:
                lines = lines_needed(one.sentence, width / INCH * METHOD_CHARACTERS)
                box = (self.edge, int(top * INCH), width, int(0.2 * (lines + 1) * INCH))
                findings.append((self._text(slide, box, [one.sentence], 11, self.theme.ink), one.table))
                top += 0.19 * lines
                box = (self.edge, int(top * INCH), width, int(0.2 * INCH))
                self._text(slide, box, [one.technical], 8, self.theme.quiet)
                top += 0.2
        return findings

    def _method_slides(self) -> None:
        """Say how the tables were counted and tested, on as many slides as that takes."""
        characters = (self.width - 2 * self.edge) / INCH * METHOD_CHARACTERS
        blocks: list[list[str]] = []  # a heading stays with its first statement
        for part in self.report.method:
            first, *others = (f"– {statement_text(one)}" for one in part.statements)
            blocks += [[*([""] if blocks else []), part.title.upper(), first], *([text] for text in others)]
        slides: list[list[str]] = [[]]
        used = 0
        for block in blocks:
            need = sum(lines_needed(text, characters) for text in block)
            if used and used + need > METHOD_LINES:
                slides.append([])
                used = 0
            slides[-1] += block if slides[-1] else [text for text in block if text]
            used += need
        title = self.say("Method")
        for number, lines in enumerate(slides):
            head = title if not number else self.say("{title} (continued)", title=title)
            box = (self.edge, int(1.1 * INCH), self.width - 2 * self.edge, self.height - int(1.4 * INCH))
            self._text(self._slide(head, "Title Only"), box, lines, 10, self.theme.ink)

    # --- a chart ----------------------------------------------------------------------------------------

    def _chart_slide(self, spec: ChartSpec, more: str = "") -> Any:
        from pptx.enum.chart import XL_CHART_TYPE, XL_LEGEND_POSITION, XL_TICK_LABEL_POSITION
        from pptx.util import Pt

        slide = self._slide(spec.title + more, "Title Only")
        if spec.subtitle:
            box = (self.edge, int(0.92 * INCH), self.width - 2 * self.edge, int(0.3 * INCH))
            self._text(slide, box, [spec.subtitle], 12, self.theme.quiet)
        kinds = {
            "bars": XL_CHART_TYPE.BAR_CLUSTERED,
            "stacked bars": XL_CHART_TYPE.BAR_STACKED_100,
            "lines": XL_CHART_TYPE.LINE_MARKERS,
        }
        data = _chart_data()
        data.categories = list(spec.categories)
        for series in spec.series:
            data.add_series(fitted(series.name, LONGEST_NAME), spec.spreadsheet_values(series))
        top = int(1.15 * INCH)
        foot = self._foot_height(spec.notes)
        frame = slide.shapes.add_chart(
            kinds[spec.kind], self.edge, top, self.width - 2 * self.edge, self.height - top - foot, data
        )
        chart = frame.chart
        chart.font.size, chart.font.name = Pt(11), self.theme.font
        chart.has_title = False
        chart.has_legend = len(spec.series) > 1
        if chart.has_legend:
            chart.legend.position, chart.legend.include_in_layout = XL_LEGEND_POSITION.BOTTOM, False
            chart.legend.font.size = Pt(11)
        plot = chart.plots[0]
        if spec.kind == "bars":
            plot.gap_width, plot.overlap = 45, -5
        if spec.kind == "stacked bars":
            plot.gap_width = 40
        if spec.kind != "lines":
            chart.category_axis.reverse_order = True  # the first at the top, as in the table
        axis = chart.value_axis
        if spec.lowest < 0:
            chart.category_axis.tick_label_position = XL_TICK_LABEL_POSITION.LOW
        else:
            axis.minimum_scale = 0
        if spec.kind == "bars":
            share = 1 + spec.longest_label * LABEL_ROOM  # so that the longest label does not leave the chart
            unit = 100.0 if spec.percent else 1.0
            axis.maximum_scale = max(spec.highest, 1e-9) * share / unit
            if spec.lowest < 0:
                axis.minimum_scale = spec.lowest * share / unit
        axis.has_major_gridlines = False
        axis.visible = spec.kind == "lines"
        axis.tick_labels.number_format, axis.tick_labels.number_format_is_linked = spec.label_format, False
        self._color(plot, spec)
        self._labels(plot, spec)
        self._foot(slide, spec.notes)
        return slide

    def _color(self, plot: Any, spec: ChartSpec) -> None:
        from pptx.dml.color import RGBColor
        from pptx.enum.dml import MSO_LINE

        dashes = (MSO_LINE.SOLID, MSO_LINE.DASH, MSO_LINE.ROUND_DOT, MSO_LINE.DASH_DOT)
        drawn = zip(plot.series, spec.colors(self.theme), spec.rounds(self.theme), strict=True)
        for series, series_color, used in drawn:
            color, fill = RGBColor.from_string(series_color.lstrip("#")), series.format.fill
            if spec.kind == "lines":
                series.format.line.color.rgb = color
                series.format.line.dash_style = dashes[used % len(dashes)]
                series.smooth = False
                series.marker.format.fill.solid()
                series.marker.format.fill.fore_color.rgb = color
                continue
            fill.solid()
            fill.fore_color.rgb = color
            if used:
                series.format.line.color.rgb = RGBColor.from_string(self.theme.ink.lstrip("#"))

    def _labels(self, plot: Any, spec: ChartSpec) -> None:
        """Label every point with its figure, and with its letters those that carry some."""
        from pptx.dml.color import RGBColor
        from pptx.enum.chart import XL_LABEL_POSITION
        from pptx.util import Pt

        colors = spec.colors(self.theme)
        for series, shown, bar_color in zip(plot.series, spec.series, colors, strict=True):
            color = RGBColor.from_string(spec.label_color(bar_color, self.theme).lstrip("#"))
            labels = series.data_labels
            labels.show_value = True
            labels.number_format, labels.number_format_is_linked = spec.label_format, False
            labels.font.size, labels.font.color.rgb = Pt(9), color
            if spec.kind == "bars":
                labels.position = XL_LABEL_POSITION.OUTSIDE_END
            for k, letters in enumerate(shown.letters):
                if letters and shown.values[k] is not None:
                    frame = series.points[k].data_label.text_frame
                    frame.text = shown.label(k)
                    run = frame.paragraphs[0].runs[0]
                    run.font.size, run.font.color.rgb = Pt(9), color

    def _foot_height(self, notes: Sequence[str]) -> int:
        """Return the height that notes take at the foot of a slide."""
        characters = (self.width - 2 * self.edge) / INCH * FOOT_CHARACTERS
        lines = sum(lines_needed(note, characters) for note in notes)
        return int((0.25 + FOOT_LINE * lines) * INCH)

    def _foot(self, slide: Any, notes: Sequence[str]) -> None:
        height = self._foot_height(notes)
        box = (self.edge, self.height - height, self.width - 2 * self.edge, height - int(0.1 * INCH))
        self._text(slide, box, notes, 8, self.theme.quiet)

    # --- a table ----------------------------------------------------------------------------------------

    def _native_tables(self, table: Table) -> Iterator[Any]:
        """Cut a table into slides: columns by columns, the Total on each, then lines by lines under the bases."""
        loose = list(table.loose)
        others = [k for k in range(len(table.columns)) if k not in loose]
        step = max(COLUMNS_ON_A_SLIDE - len(loose), 1)
        chunks = [loose + others[k : k + step] for k in range(0, len(others), step)] or [loose]
        bases = list(table.leading)
        body = [k for k in range(len(table.lines)) if k not in bases]
        rows = ROWS_WITH_LETTERS_BELOW if self.theme.letters == "below" else ROWS_ON_A_SLIDE
        room = rows - len(bases)
        parts = [
            (sorted(columns), bases + body[start : start + room])
            for columns in chunks
            for start in range(0, max(len(body), 1), room)
        ]
        for number, (columns, lines) in enumerate(parts, 1):
            more = ""
            if len(parts) > 1:
                more = self.say(" ({part} of {parts})", part=number, parts=len(parts))
            yield self._native_table(table, columns, lines, more)

    def _native_table(self, table: Table, columns: Sequence[int], lines: Sequence[int], more: str) -> Any:
        from pptx.oxml.ns import qn

        slide = self._slide(table.title + more, "Title Only")
        rows, width = len(lines) + 1, len(columns) + 2
        box = (self.edge, int(1.15 * INCH), self.width - 2 * self.edge, rows * int(0.27 * INCH))
        grid = slide.shapes.add_table(rows, width, *box).table
        grid.horz_banding = False
        grid._tbl.tblPr.find(qn("a:tableStyleId")).text = PLAIN_GRID
        whole = self.width - 2 * self.edge
        grid.columns[0].width, grid.columns[1].width = int(whole * 0.24), int(whole * 0.05)
        for k in range(2, width):
            grid.columns[k].width = int(whole * 0.71 / len(columns))
        for at in (0, 1):
            self._fill(grid.cell(0, at), "", shade=self.theme.reed)
        for at, k in enumerate(columns, 2):
            column = table.columns[k]
            self._fill(
                grid.cell(0, at), column.path, column.letter, bold=True, right=True, shade=self.theme.reed
            )
        for row, k in enumerate(lines, 1):
            self._fill_line(grid, row, table, table.lines[k], columns)
        self._foot(slide, table.notes_shown(self.report.notes))
        self._speak(slide, table)
        return slide

    def _fill_line(self, grid: Any, row: int, table: Table, line: Line, columns: Sequence[int]) -> None:
        bold = line.kind in ("net", "heading")
        shade = self.theme.sand if line.kind == "base" else ""
        self._fill(grid.cell(row, 0), "   " * line.indent + line.label, bold=bold, shade=shade)
        self._fill(grid.cell(row, 1), line_sign(line, table.words), shade=shade)
        for at, k in enumerate(columns, 2):
            text = cell_text(table, line, k)
            self._fill(grid.cell(row, at), text, line.letters[k], bold=bold, right=True, shade=shade)

    def _fill(
        self,
        cell: Any,
        text: str,
        letters: str = "",
        *,
        bold: bool = False,
        right: bool = False,
        shade: str = "",
    ) -> None:
        """Write a cell of a native table, its letters beside the figure or below it."""
        from pptx.dml.color import RGBColor
        from pptx.enum.text import PP_ALIGN
        from pptx.util import Pt

        cell.margin_top = cell.margin_bottom = 0
        cell.margin_left = cell.margin_right = int(0.04 * INCH)
        if shade:
            cell.fill.solid()
            cell.fill.fore_color.rgb = RGBColor.from_string(shade.lstrip("#"))
        cell.text = held(text)
        frame = cell.text_frame
        parts = [(run, self.theme.ink, bold) for run in frame.paragraphs[0].runs]
        if letters:
            below = self.theme.letters == "below"
            run = (frame.add_paragraph() if below else frame.paragraphs[0]).add_run()
            run.text = letters if below or not text else f" {letters}"
            parts.append((run, self.theme.letter, True))
        for run, color, strong in parts:
            run.font.size, run.font.bold, run.font.name = Pt(9), strong, self.theme.font
            run.font.color.rgb = RGBColor.from_string(color.lstrip("#"))
        for paragraph in frame.paragraphs:
            paragraph.font.size = Pt(9)  # of an empty cell too, so that rows stay low
            if right:
                paragraph.alignment = PP_ALIGN.RIGHT

    def _speak(self, slide: Any, table: Table) -> None:
        """Put all notes of a table where a speaker reads them; the foot holds the most needful."""
        notes = [*table.notes, self.report.provenance]
        slide.notes_slide.notes_text_frame.text = held("\n".join(notes))


def _chart_data() -> Any:
    """Return data for a chart; in the workbook that it brings along, text is never taken for a formula or a link."""
    from pptx.chart.data import CategoryChartData
    from pptx.chart.xlsx import CategoryWorkbookWriter
    from xlsxwriter import Workbook

    class Writer(CategoryWorkbookWriter):
        @contextmanager
        def _open_worksheet(self, xlsx_file: Any) -> Iterator[tuple[Any, Any]]:
            book = Workbook(xlsx_file, {"in_memory": True, **TEXT_STAYS_TEXT})
            sheet = book.add_worksheet()
            sheet.add_write_handler(str, lambda sheet, *cell: sheet.write_string(*cell))  # {=A1} too
            yield book, sheet
            book.close()

    class Data(CategoryChartData):
        @property
        def _workbook_writer(self) -> Any:
            return Writer(self)

    return Data(number_format="General")


def _remember_part_names(package: Any) -> None:
    """Count the parts of each kind on, where the library would go through all parts for each new name."""
    from pptx.opc.packuri import PackURI

    usual = package.next_partname
    numbers: dict[str, int] = {}

    def next_name(template: str) -> Any:
        if template not in numbers:
            first = usual(template)
            before, _, behind = template.partition("%d")
            numbers[template] = int(first.removeprefix(before).removesuffix(behind))
            return first
        numbers[template] += 1
        return PackURI(template % numbers[template])

    package.next_partname = next_name


def _title_of(layout: Any) -> Any:
    return next((shape for shape in layout.placeholders if shape.placeholder_format.type in (1, 3)), None)


def maker_line(provenance: str) -> str:
    """Return where figures come from as a property holds it: cut in the middle, as its end says who made it."""
    if len(provenance) <= LONGEST_PROPERTY:
        return provenance
    end = f"; made with eager-otter {__version__}"
    return fitted(provenance, LONGEST_PROPERTY - len(end)) + end


def _repeatable(content: bytes) -> bytes:
    """Write a package again with fixed dates, also in the workbooks inside it."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            part = old.read(entry)
            if entry.filename.endswith(".xlsx"):
                part = _repeatable(part)
            elif entry.filename == "docProps/core.xml":
                part = re.sub(rb">\d{4}-\d\d-\d\dT[\d:]+Z<", b">2000-01-01T00:00:00Z<", part)
            fixed = zipfile.ZipInfo(entry.filename, ZIP_DATE)
            fixed.compress_type = zipfile.ZIP_DEFLATED
            new.writestr(fixed, part)
    return out.getvalue()
