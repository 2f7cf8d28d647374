"""The application behind a production WSGI server: several processes, several threads each."""

from collections.abc import Callable
from typing import Any

from gunicorn.app.base import BaseApplication

from plentar.web import create_app
from plentar.web.settings import Settings

__all__ = ["run"]


class _Server(BaseApplication):  # type: ignore[misc]
    """Gunicorn, configured from the settings instead of a file."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        super().__init__()

    def load_config(self) -> None:
        for name, value in {
            "bind": f"{self.settings.host}:{self.settings.port}",
            "workers": self.settings.workers,
            "threads": self.settings.threads,
            "worker_class": "gthread",
            "worker_tmp_dir": None,
            "graceful_timeout": 5,
            "loglevel": "warning",
        }.items():
            self.cfg.set(name, value)

    def load(self) -> Callable[..., Any]:
        # Each worker builds its own application, so none shares a database connection with another.
        return create_app(self.settings)


def run(settings: Settings) -> None:
    """Serve until stopped."""
    _Server(settings).run()
