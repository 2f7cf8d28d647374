"""Circuit and heat pump: the load against everything in its path, the heat against the weather."""

from plentar.web.feed.views import bp

__all__ = ["bp"]
