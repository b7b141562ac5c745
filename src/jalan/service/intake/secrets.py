"""Secrets of sources: from the environment, or encrypted in the store; never in logs and answers.

The key is ``JALAN_SECRET_KEY``, or is made once and kept in a file that only its owner can read.
Source of the encryption: Fernet (AES-128-CBC with HMAC-SHA256), package ``cryptography``.
"""

import os
from pathlib import Path

import orjson
from cryptography.fernet import Fernet, InvalidToken

from jalan.service.errors import Invalid
from jalan.service.settings import Settings

FROM_ENVIRONMENT = "env:"
PREFIX = "JALAN_SOURCE_"  # who configures a source may send what these hold to an address of their choice, no other


def _key() -> Fernet:
    settings = Settings()
    if settings.secret_key is not None:
        try:
            return Fernet(settings.secret_key.get_secret_value())
        except ValueError as error:
            raise Invalid("JALAN_SECRET_KEY must be 32 bytes in URL-safe base 64") from error
    path = Path(settings.secret_key_file)
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        made = path.with_name(f"{path.name}.{os.getpid()}")
        made.touch(mode=0o600)
        made.write_bytes(Fernet.generate_key())
        try:
            os.link(made, path)  # fails where another process was quicker: then its key holds
        except FileExistsError:
            pass
        finally:
            made.unlink()
    return Fernet(path.read_bytes().strip())


def seal(secrets: dict[str, str]) -> bytes | None:
    """Encrypt the secrets of a source, by name; none where there are none."""
    return _key().encrypt(orjson.dumps(secrets)) if secrets else None


def unseal(sealed: bytes | None) -> dict[str, str]:
    """Return the secrets of a source, with those that stand in the environment. Raises Invalid."""
    if sealed is None:
        return {}
    try:
        found: dict[str, str] = orjson.loads(_key().decrypt(sealed))
    except InvalidToken as error:
        raise Invalid(
            "the secrets of this source were encrypted with another key; set JALAN_SECRET_KEY to that one, or give "
            "the secrets again"
        ) from error
    return found


def resolve(value: str) -> str:
    """Return a secret: as it is, or from the environment where it says ``env:JALAN_SOURCE_…``. Raises Invalid."""
    if not value.startswith(FROM_ENVIRONMENT):
        return value
    name = value.removeprefix(FROM_ENVIRONMENT)
    if not name.startswith(PREFIX):
        raise Invalid(
            f"a source can only take environment variables whose names begin with {PREFIX}; call it "
            f"{PREFIX}{name} where Jalan runs, and write env:{PREFIX}{name}"
        )
    found = os.environ.get(name)
    if found is None:
        raise Invalid(f"the environment variable {name} is not set where Jalan runs")
    return found
