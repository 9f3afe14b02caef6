"""Presses: one registry of what can be commanded, with typed arguments and the reason why not.

Adding a press is one function and one decorator in a module of this package. The engine, the API's schema,
the pages and the table of the docs come from :data:`PRESSES`.
"""

from upbeat.play.presses import line_check, messages, mix, parts, rehearsal, sounds, tonight, transport, words  # noqa: F401 - they register their presses
from upbeat.play.presses.registry import PRESSES, Outcome, Press, press, reasons, unavailable
from upbeat.play.presses.transport import GoTo, just_ended

__all__ = ["PRESSES", "GoTo", "Outcome", "Press", "just_ended", "press", "reasons", "unavailable"]
