"""Settings from the environment."""

from pydantic import SecretStr
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Read from variables that begin with ``JALAN_``.

    store: address of the PostgreSQL database that is the store.
    secret_key: what secrets of sources are encrypted with; without it a key is made and kept in
        ``secret_key_file``.
    new_secret_key: what they are encrypted with anew when the key is changed.
    mirrors: folder for copies of remote git repositories.
    git_protocols: by which git may reach a remote, with spaces between.
    hosts: names by which the server may be asked besides those of loopback, with spaces between.
    most_bytes: of the body of a request.
    files: folders below which sources may read, with ``:`` between; without it the working folder.
    most_file_bytes: of a file that is read whole.
    reach: servers that sources may reach, see ``jalan.sources.hosts``, with spaces between.
    request_seconds: after which a request is given up.
    keep_events_days: how long received events are kept as they came; 0 keeps them for good. Runs are kept.
    preview_seconds, preview_megabytes: limits of a trial.
    """

    model_config = SettingsConfigDict(env_prefix="JALAN_")

    store: str = "postgresql+psycopg://jalan@127.0.0.1:5432/jalan"
    secret_key: SecretStr | None = None
    new_secret_key: SecretStr | None = None
    secret_key_file: str = ".jalan/secret.key"
    mirrors: str = ".jalan/git"
    git_protocols: str = "https ssh"
    hosts: str = ""
    most_bytes: int = 16_000_000
    files: str = ""
    most_file_bytes: int = 500_000_000
    reach: str = "*"
    request_seconds: float = 120.0
    keep_events_days: int = 0
    preview_seconds: float = 60.0
    preview_megabytes: int = 2_000
