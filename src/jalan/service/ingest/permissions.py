"""What sources may read and reach, by the settings of the server."""

from pathlib import Path

import jalan
from jalan.service.settings import Settings
from jalan.sources.allowed import Allowed
from jalan.sources.files import Files, roots_of
from jalan.sources.hosts import Hosts

_SHIPPED = Path(jalan.__file__).parent / "demo"


def allowed_by_settings() -> Allowed:
    """Return what the settings allow to sources that anybody may have configured."""
    settings = Settings()
    files = Files(roots_of(settings.files, [_SHIPPED]), settings.most_file_bytes)
    return Allowed(files, Hosts(tuple(settings.reach.split())))
