"""Scripts as they are sent, read into drafts of lines: a module for each kind of file, and for what they share."""

from fendo_core.script.intake.archives import LARGEST_DOCUMENT
from fendo_core.script.intake.files import LARGEST_FILE, Intake, read_script
from fendo_core.script.intake.inquiry import Question, ScriptRefused
from fendo_core.script.intake.tables import COLUMNS, Columns

__all__ = ["COLUMNS", "LARGEST_DOCUMENT", "LARGEST_FILE", "Columns", "Intake", "Question", "ScriptRefused", "read_script"]
