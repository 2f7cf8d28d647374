"""The application for a WSGI server of one's own: `plentar.wsgi:app`, with settings from the environment."""

from plentar.web import create_app
from plentar.web.serving.logs import log_as_lines
from plentar.web.serving.server import check_schema, use_folder_of
from plentar.web.serving.settings import Settings

__all__ = ["app"]

settings = Settings.from_environment()
check_schema(settings)
use_folder_of(settings)
log_as_lines()
app = create_app(settings)
