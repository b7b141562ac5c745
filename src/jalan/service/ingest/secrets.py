"""Secrets of sources: from the environment, or encrypted in the store; never in logs and answers.

The key is ``JALAN_SECRET_KEY``, or is made once and kept in a file that only its owner can read.
Source of the encryption: Fernet (AES-128-CBC with HMAC-SHA256), package ``cryptography``.
"""

import os
import stat
from pathlib import Path

import orjson
from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.service.errors import Invalid
from jalan.service.settings import Settings
from jalan.store.schema import Source

FROM_ENVIRONMENT = "env:"
PREFIX = "JALAN_SOURCE_"  # who configures a source may send what these hold to an address of their choice, no other


def _key() -> MultiFernet:
    """Return the key that seals; it opens, too, what a change of keys that was broken off has sealed."""
    settings = Settings()
    if settings.secret_key is not None:
        return MultiFernet([_as_key(settings.secret_key.get_secret_value(), "JALAN_SECRET_KEY")])
    path = Path(settings.secret_key_file)
    if not path.exists():
        _write(path, Fernet.generate_key())
    places = [path, *(place for place in [_next(path)] if place.exists())]
    return MultiFernet([_as_key(_read(place), str(place)) for place in places])


def _next(path: Path) -> Path:
    return path.with_name(f"{path.name}.new")


def _as_key(text: str, place: str) -> Fernet:
    try:
        return Fernet(text.strip())
    except ValueError as error:
        raise Invalid(f"{place} must be 32 bytes in URL-safe base 64") from error


def _read(path: Path) -> str:
    try:
        others = path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO)
        if others:
            raise Invalid(f"{path}: others may read this key; give it to its owner alone (chmod 600 {path})")
        return path.read_text(encoding="ascii")
    except (OSError, UnicodeDecodeError) as error:
        raise Invalid(f"{path}: the key cannot be read ({type(error).__name__})") from error


def _write(path: Path, key: bytes) -> None:
    """Write a new key, unless another process was quicker: then its key holds."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    made = path.with_name(f"{path.name}.{os.getpid()}")
    with open(os.open(made, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as file:
        file.write(key)
    try:
        os.link(made, path)
    except FileExistsError:
        pass
    finally:
        made.unlink()


def seal(secrets: dict[str, str]) -> bytes | None:
    """Encrypt the secrets of a source, by name; none where there are none."""
    return _key().encrypt(orjson.dumps(secrets)) if secrets else None


def unseal(sealed: bytes | None) -> dict[str, str]:
    """Return the secrets of a source, with those that stand in the environment. Raises Invalid."""
    return {} if sealed is None else _opened(sealed, _key())


def _opened(sealed: bytes, key: MultiFernet) -> dict[str, str]:
    try:
        found: dict[str, str] = orjson.loads(key.decrypt(sealed))
    except InvalidToken as error:
        raise Invalid(
            "the secrets of this source were encrypted with another key; set JALAN_SECRET_KEY to that one, or give "
            "the secrets again"
        ) from error
    return found


def rotate(engine: Engine) -> tuple[int, list[str], str | None]:
    """Encrypt all secrets with a new key: that of ``JALAN_NEW_SECRET_KEY``, or one that is made.

    Returns how many sources were sealed anew, the names of those that the old key does not open, and the new key
    where somebody must now set it as ``JALAN_SECRET_KEY``; a key in a file is replaced there. Raises Invalid.
    """
    settings = Settings()
    old = _key()
    given = settings.new_secret_key
    new = given.get_secret_value() if given is not None else Fernet.generate_key().decode()
    path = Path(settings.secret_key_file)
    if settings.secret_key is None:
        # The new key is on disk before anything is sealed with it, and the old one until all is.
        _as_key(new, "JALAN_NEW_SECRET_KEY")
        _write(_next(path), new.encode())
        new = _read(_next(path))
    fresh = _as_key(new, "JALAN_NEW_SECRET_KEY")
    done, left = 0, []
    with Session(engine) as session, session.begin():
        for source in session.scalars(select(Source).where(Source.secrets.is_not(None)).with_for_update()):
            assert source.secrets is not None
            try:
                secrets = _opened(source.secrets, old)
            except Invalid:
                left.append(source.name)
                continue
            source.secrets = fresh.encrypt(orjson.dumps(secrets))
            done += 1
    if settings.secret_key is not None:
        return done, left, new
    os.replace(_next(path), path)
    return done, left, None


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
