"""Tables, sessions and queries: whatever is imported of it, every table is known."""

from plentar.store import models, practice_models, shop_models

__all__ = ["models", "practice_models", "shop_models"]
