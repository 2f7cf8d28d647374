"""A unit over the years: its page, its cabinet label, what the label opens."""

from plentar.web.past.views import bp

__all__ = ["bp"]
