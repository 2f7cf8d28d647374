"""Practice: the ladder, a practice call on the real call's screen, its debrief, drills, cutaways, classes."""

from plentar.web.practice import classes as classes
from plentar.web.practice import drills as drills
from plentar.web.practice import runs as runs
from plentar.web.practice.views import bp

__all__ = ["bp"]
