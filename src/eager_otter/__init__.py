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
    from eager_otter.asking.given import ItemsSettings as ItemsSettings
    from eager_otter.asking.given import TableSettings as TableSettings
    from eager_otter.asking.survey import Survey as Survey
    from eager_otter.audit.slip import Audit as Audit
    from eager_otter.audit.slip import Slip as Slip
    from eager_otter.codebook.model import Codebook as Codebook
    from eager_otter.codebook.reading import codebook_from_text as codebook_from_text
    from eager_otter.codebook.reading import read_codebook as read_codebook
    from eager_otter.data.opening import Reading as Reading
    from eager_otter.errors import DataError as DataError
    from eager_otter.errors import DocumentError as DocumentError
    from eager_otter.errors import ExpressionError as ExpressionError
    from eager_otter.errors import FileProblem as FileProblem
    from eager_otter.errors import Hint as Hint
    from eager_otter.errors import MissingPackage as MissingPackage
    from eager_otter.errors import OtterError as OtterError
    from eager_otter.errors import RequestError as RequestError
    from eager_otter.errors import UnknownName as UnknownName
    from eager_otter.figures.names import BaseName as BaseName
    from eager_otter.figures.names import FigureName as FigureName
    from eager_otter.figures.names import PercentileName as PercentileName
    from eager_otter.figures.names import percentile as percentile
    from eager_otter.looks.catalogue import load_words as load_words
    from eager_otter.looks.theme import Theme as Theme
    from eager_otter.looks.theme import load_theme as load_theme
    from eager_otter.looks.words import Words as Words
    from eager_otter.plan.plan import Plan as Plan
    from eager_otter.plan.reading import plan_from_text as plan_from_text
    from eager_otter.plan.reading import read_plan as read_plan
    from eager_otter.plan.writing import plan_text as plan_text
    from eager_otter.report.report import Report as Report
    from eager_otter.report.report import open_survey as open_survey
    from eager_otter.report.report import run as run
    from eager_otter.report.report import run_audit as run_audit
    from eager_otter.report.report import weigh as weigh
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
    from eager_otter.tables.table import Table as Table
    from eager_otter.weighing.weighing import Weighting as Weighting

_HOME = {
    "AnswersByItems": "tables.shows",
    "Audit": "audit.slip",
    "Banner": "tables.request",
    "BannerGroup": "tables.request",
    "BaseName": "figures.names",
    "BaseRules": "tables.request",
    "BeforeByAfter": "tables.shows",
    "Codebook": "codebook.model",
    "DataError": "errors",
    "Digits": "tables.request",
    "DocumentError": "errors",
    "ExpressionError": "errors",
    "FigureName": "figures.names",
    "FileProblem": "errors",
    "Hint": "errors",
    "ItemsByColumns": "tables.shows",
    "ItemsSettings": "asking.given",
    "MissingPackage": "errors",
    "OneQuestion": "tables.shows",
    "OneUnderAnother": "tables.shows",
    "OtterError": "errors",
    "PercentileName": "figures.names",
    "Plan": "plan.plan",
    "Reading": "data.opening",
    "Report": "report.report",
    "RequestError": "errors",
    "RowRules": "tables.request",
    "Slip": "audit.slip",
    "Sorting": "tables.request",
    "Survey": "asking.survey",
    "Table": "tables.table",
    "TableRequest": "tables.request",
    "TableSettings": "asking.given",
    "TestRules": "tables.request",
    "Theme": "looks.theme",
    "UnknownName": "errors",
    "Weighting": "weighing.weighing",
    "Words": "looks.words",
    "codebook_from_text": "codebook.reading",
    "load_theme": "looks.theme",
    "load_words": "looks.catalogue",
    "open_survey": "report.report",
    "percentile": "figures.names",
    "plan_from_text": "plan.reading",
    "plan_text": "plan.writing",
    "read_codebook": "codebook.reading",
    "read_plan": "plan.reading",
    "run": "report.report",
    "run_audit": "report.report",
    "weigh": "report.report",
}

__all__ = [
    "AnswersByItems",
    "Audit",
    "Banner",
    "BannerGroup",
    "BaseName",
    "BaseRules",
    "BeforeByAfter",
    "Codebook",
    "DataError",
    "Digits",
    "DocumentError",
    "ExpressionError",
    "FigureName",
    "FileProblem",
    "Hint",
    "ItemsByColumns",
    "ItemsSettings",
    "MissingPackage",
    "OneQuestion",
    "OneUnderAnother",
    "OtterError",
    "PercentileName",
    "Plan",
    "Reading",
    "Report",
    "RequestError",
    "RowRules",
    "Slip",
    "Sorting",
    "Survey",
    "Table",
    "TableRequest",
    "TableSettings",
    "TestRules",
    "Theme",
    "UnknownName",
    "Weighting",
    "Words",
    "codebook_from_text",
    "load_theme",
    "load_words",
    "open_survey",
    "percentile",
    "plan_from_text",
    "plan_text",
    "read_codebook",
    "read_plan",
    "run",
    "run_audit",
    "weigh",
]


def __getattr__(name: str) -> Any:
    home = _HOME.get(name)
    if home is None:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{home}"), name)


def __dir__() -> list[str]:
    return sorted([*globals(), *__all__])
