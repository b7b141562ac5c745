"""Settings from the environment."""

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Read from variables that begin with ``JALAN_``.

    store: address of the PostgreSQL database that is the store.
    """

    model_config = SettingsConfigDict(env_prefix="JALAN_")

    store: str = "postgresql+psycopg://jalan@127.0.0.1:5432/jalan"
