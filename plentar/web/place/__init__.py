"""A place's page: set right what is known of it, take back what was made by mistake."""

from plentar.web.place.views import bp

__all__ = ["bp"]
