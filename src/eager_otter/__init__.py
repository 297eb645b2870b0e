"""Survey tables you can defend: banner crosstabs with nets, significance letters and base rules.

    import eager_otter as otter

    survey = otter.open_survey("codebook.yaml", "responses.csv")
    table = survey.table("heard_of", banner=["region", "age_band"])
    report = otter.run("plan.yaml")
    report.save("tables.xlsx")

Names are loaded when first used, so importing the package costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from eager_otter.gates.viewed import views_in
from eager_otter.version import __version__ as __version__

views_in("eager_otter.report.views")

if TYPE_CHECKING:
    from eager_otter import define as define
    from eager_otter.asking.given import ItemsSettings as ItemsSettings
    from eager_otter.asking.given import TableSettings as TableSettings
    from eager_otter.asking.notable import Findings as Findings
    from eager_otter.asking.notable import Notable as Notable
    from eager_otter.asking.survey import Survey as Survey
    from eager_otter.audit.data_checks import audit_data as audit_data
    from eager_otter.audit.slip import Audit as Audit
    from eager_otter.audit.slip import Slip as Slip
    from eager_otter.codebook.model import Answer as Answer
    from eager_otter.codebook.model import Codebook as Codebook
    from eager_otter.codebook.model import Net as Net
    from eager_otter.codebook.model import Question as Question
    from eager_otter.codebook.reading import codebook_from_text as codebook_from_text
    from eager_otter.codebook.reading import codebook_of as codebook_of
    from eager_otter.codebook.reading import read_codebook as read_codebook
    from eager_otter.comparing.causes import Cause as Cause
    from eager_otter.comparing.comparing import Change as Change
    from eager_otter.comparing.comparing import Comparison as Comparison
    from eager_otter.data.coding import Coded as Coded
    from eager_otter.data.files import Source as Source
    from eager_otter.data.opening import Reading as Reading
    from eager_otter.data.overview import QuestionOverview as QuestionOverview
    from eager_otter.data.waves import Wave as Wave
    from eager_otter.data.waves import WaveChanges as WaveChanges
    from eager_otter.data.waves import Waves as Waves
    from eager_otter.demo.files import write_demo as write_demo
    from eager_otter.drafting.differences import Difference as Difference
    from eager_otter.drafting.differences import Differences as Differences
    from eager_otter.drafting.drafting import Draft as Draft
    from eager_otter.drafting.drafting import draft as draft
    from eager_otter.drafting.facts import Guess as Guess
    from eager_otter.errors import DataError as DataError
    from eager_otter.errors import DocumentError as DocumentError
    from eager_otter.errors import ExpressionError as ExpressionError
    from eager_otter.errors import FileProblem as FileProblem
    from eager_otter.errors import Hint as Hint
    from eager_otter.errors import MachineProblem as MachineProblem
    from eager_otter.errors import MissingPackage as MissingPackage
    from eager_otter.errors import OtterError as OtterError
    from eager_otter.errors import RequestError as RequestError
    from eager_otter.errors import UnknownName as UnknownName
    from eager_otter.figures.names import BaseName as BaseName
    from eager_otter.figures.names import FigureName as FigureName
    from eager_otter.figures.names import PercentileName as PercentileName
    from eager_otter.figures.names import percentile as percentile
    from eager_otter.looks.catalogue import catalogue_text as catalogue_text
    from eager_otter.looks.catalogue import load_words as load_words
    from eager_otter.looks.theme import Theme as Theme
    from eager_otter.looks.theme import load_theme as load_theme
    from eager_otter.looks.words import Words as Words
    from eager_otter.plan.plan import ForEach as ForEach
    from eager_otter.plan.plan import Plan as Plan
    from eager_otter.plan.reading import plan_from_text as plan_from_text
    from eager_otter.plan.reading import plan_of as plan_of
    from eager_otter.plan.reading import read_plan as read_plan
    from eager_otter.plan.schema import json_schema as json_schema
    from eager_otter.plan.writing import plan_text as plan_text
    from eager_otter.report.coding import read_texts as read_texts
    from eager_otter.report.coding import write_coded as write_coded
    from eager_otter.report.coding import write_texts as write_texts
    from eager_otter.report.comparing import compare as compare
    from eager_otter.report.each import plans_for_each as plans_for_each
    from eager_otter.report.exporting import export as export
    from eager_otter.report.making_weights import weigh as weigh
    from eager_otter.report.opening import open_survey as open_survey
    from eager_otter.report.picture import Picture as Picture
    from eager_otter.report.report import Report as Report
    from eager_otter.report.report import report_of as report_of
    from eager_otter.report.running import run as run
    from eager_otter.report.running import run_audit as run_audit
    from eager_otter.tables.explanation import Explanation as Explanation
    from eager_otter.tables.note import Note as Note
    from eager_otter.tables.request import Banner as Banner
    from eager_otter.tables.request import BannerGroup as BannerGroup
    from eager_otter.tables.request import BaseRules as BaseRules
    from eager_otter.tables.request import Digits as Digits
    from eager_otter.tables.request import RowRules as RowRules
    from eager_otter.tables.request import Sorting as Sorting
    from eager_otter.tables.request import TableRequest as TableRequest
    from eager_otter.tables.request import TestRules as TestRules
    from eager_otter.tables.shows import AnswersByItems as AnswersByItems
    from eager_otter.tables.shows import BeforeByAfter as BeforeByAfter
    from eager_otter.tables.shows import ItemsByColumns as ItemsByColumns
    from eager_otter.tables.shows import OneQuestion as OneQuestion
    from eager_otter.tables.shows import OneUnderAnother as OneUnderAnother
    from eager_otter.tables.table import Column as Column
    from eager_otter.tables.table import Group as Group
    from eager_otter.tables.table import Line as Line
    from eager_otter.tables.table import Table as Table
    from eager_otter.weighing.weighing import Weighting as Weighting

_HOME = {
    "Answer": "codebook.model",
    "AnswersByItems": "tables.shows",
    "Audit": "audit.slip",
    "Banner": "tables.request",
    "BannerGroup": "tables.request",
    "BaseName": "figures.names",
    "BaseRules": "tables.request",
    "BeforeByAfter": "tables.shows",
    "Cause": "comparing.causes",
    "Change": "comparing.comparing",
    "Codebook": "codebook.model",
    "Coded": "data.coding",
    "Column": "tables.table",
    "Comparison": "comparing.comparing",
    "DataError": "errors",
    "Digits": "tables.request",
    "DocumentError": "errors",
    "Difference": "drafting.differences",
    "Differences": "drafting.differences",
    "Draft": "drafting.drafting",
    "Explanation": "tables.explanation",
    "ExpressionError": "errors",
    "FigureName": "figures.names",
    "FileProblem": "errors",
    "Findings": "asking.notable",
    "ForEach": "plan.plan",
    "Group": "tables.table",
    "Guess": "drafting.facts",
    "Hint": "errors",
    "ItemsByColumns": "tables.shows",
    "ItemsSettings": "asking.given",
    "Line": "tables.table",
    "MachineProblem": "errors",
    "MissingPackage": "errors",
    "Net": "codebook.model",
    "Notable": "asking.notable",
    "Note": "tables.note",
    "OneQuestion": "tables.shows",
    "OneUnderAnother": "tables.shows",
    "OtterError": "errors",
    "PercentileName": "figures.names",
    "Picture": "report.picture",
    "Plan": "plan.plan",
    "Question": "codebook.model",
    "QuestionOverview": "data.overview",
    "Reading": "data.opening",
    "Report": "report.report",
    "RequestError": "errors",
    "RowRules": "tables.request",
    "Slip": "audit.slip",
    "Sorting": "tables.request",
    "Source": "data.files",
    "Survey": "asking.survey",
    "Table": "tables.table",
    "TableRequest": "tables.request",
    "TableSettings": "asking.given",
    "TestRules": "tables.request",
    "Theme": "looks.theme",
    "UnknownName": "errors",
    "Wave": "data.waves",
    "WaveChanges": "data.waves",
    "Waves": "data.waves",
    "Weighting": "weighing.weighing",
    "Words": "looks.words",
    "audit_data": "audit.data_checks",
    "catalogue_text": "looks.catalogue",
    "codebook_from_text": "codebook.reading",
    "codebook_of": "codebook.reading",
    "compare": "report.comparing",
    "draft": "drafting.drafting",
    "export": "report.exporting",
    "json_schema": "plan.schema",
    "load_theme": "looks.theme",
    "load_words": "looks.catalogue",
    "open_survey": "report.opening",
    "percentile": "figures.names",
    "plan_from_text": "plan.reading",
    "plan_of": "plan.reading",
    "plan_text": "plan.writing",
    "plans_for_each": "report.each",
    "read_codebook": "codebook.reading",
    "read_plan": "plan.reading",
    "read_texts": "report.coding",
    "report_of": "report.report",
    "run": "report.running",
    "run_audit": "report.running",
    "weigh": "report.making_weights",
    "write_coded": "report.coding",
    "write_demo": "demo.files",
    "write_texts": "report.coding",
}

__all__ = [
    "Answer",
    "AnswersByItems",
    "Audit",
    "Banner",
    "BannerGroup",
    "BaseName",
    "BaseRules",
    "BeforeByAfter",
    "Cause",
    "Change",
    "Codebook",
    "Coded",
    "Column",
    "Comparison",
    "DataError",
    "Difference",
    "Differences",
    "Digits",
    "DocumentError",
    "Draft",
    "Explanation",
    "ExpressionError",
    "FigureName",
    "FileProblem",
    "Findings",
    "ForEach",
    "Group",
    "Guess",
    "Hint",
    "ItemsByColumns",
    "ItemsSettings",
    "Line",
    "MachineProblem",
    "MissingPackage",
    "Net",
    "Notable",
    "Note",
    "OneQuestion",
    "OneUnderAnother",
    "OtterError",
    "PercentileName",
    "Picture",
    "Plan",
    "Question",
    "QuestionOverview",
    "Reading",
    "Report",
    "RequestError",
    "RowRules",
    "Slip",
    "Sorting",
    "Source",
    "Survey",
    "Table",
    "TableRequest",
    "TableSettings",
    "TestRules",
    "Theme",
    "UnknownName",
    "Wave",
    "WaveChanges",
    "Waves",
    "Weighting",
    "Words",
    "audit_data",
    "catalogue_text",
    "codebook_from_text",
    "codebook_of",
    "compare",
    "define",
    "draft",
    "export",
    "json_schema",
    "load_theme",
    "load_words",
    "open_survey",
    "percentile",
    "plan_from_text",
    "plan_of",
    "plan_text",
    "plans_for_each",
    "read_codebook",
    "read_plan",
    "read_texts",
    "report_of",
    "run",
    "run_audit",
    "weigh",
    "write_coded",
    "write_demo",
    "write_texts",
]


if not TYPE_CHECKING:  # a checker knows the names from above, and refuses others

    def __getattr__(name: str) -> Any:
        if name == "define":
            return import_module(f"{__name__}.define")
        home = _HOME.get(name)
        if home is None:
            raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
        return getattr(import_module(f"{__name__}.{home}"), name)


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
