"""The ask line: plain sentences turned into edits, with what they will do and how they may go on; applies nothing."""

from vane_step.core.ask.line import ask, complete
from vane_step.core.ask.verbs import VERBS, sentences_page
from vane_step.core.ask.words import Action, Proposal, Resources

__all__ = ["VERBS", "Action", "Proposal", "Resources", "ask", "complete", "sentences_page"]
