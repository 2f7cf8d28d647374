"""A call's paper for whoever holds the link to it."""

from plentar.web.share.views import bp

__all__ = ["bp"]
