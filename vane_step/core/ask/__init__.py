"""The ask line: plain sentences turned into edits, with what they will do and how they may go on; applies nothing."""

from vane_step.core.ask.line import VERBS, ask, complete
from vane_step.core.ask.words import Proposal, Resources

__all__ = ["VERBS", "Proposal", "Resources", "ask", "complete"]
