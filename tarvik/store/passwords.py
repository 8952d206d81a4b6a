"""Passwords: which are good enough, and how they are kept: as Argon2id hashes (argon2-cffi, its RFC
9106 low-memory profile).
"""

from __future__ import annotations

import secrets
from threading import BoundedSemaphore
from typing import Final

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from argon2.profiles import RFC_9106_LOW_MEMORY

from tarvik.core.errors import InputError
from tarvik.core.kept import keep_last

PASSWORD_LEAST: Final = 12
"""Fewest letters of a password (OWASP ASVS 4.0.3, 2.1.1)."""
PASSWORD_MOST: Final = 128
HASHED_AT_ONCE: Final = 2
"""Passwords hashed at the same time: each takes 64 MiB and a core."""
COMMON: Final = frozenset(
    (
        "password1234",
        "passwordpassword",
        "123456789012",
        "1234567890123",
        "qwertyuiop12",
        "qwertyuiopas",
        "letmeinletmein",
        "iloveyou1234",
        "adminadminadmin",
        "welcome12345",
        "abcdefghijkl",
        "aaaaaaaaaaaa",
        "111111111111",
        "000000000000",
        "tarviktarvik",
        "administrator",
        "changemechangeme",
        "correcthorsebatterystaple",
    )
)
_HASHER: Final = PasswordHasher.from_parameters(RFC_9106_LOW_MEMORY)
_HASHING: Final = BoundedSemaphore(HASHED_AT_ONCE)


def checked_password(text: str, email: str = "") -> str:
    """A password good enough. Raises InputError."""
    if len(text) < PASSWORD_LEAST:
        raise InputError(
            "password",
            f"{len(text)} letters are too few; at least {PASSWORD_LEAST}, such as four words",
        )
    if len(text) > PASSWORD_MOST:
        raise InputError(
            "password", f"{len(text)} letters are too many; at most {PASSWORD_MOST}"
        )
    plain = text.lower().replace(" ", "")
    if (
        plain in COMMON
        or len(set(plain)) < 4
        or (email and plain in (email, email.split("@", maxsplit=1)[0]))
    ):
        raise InputError(
            "password",
            "this one is guessed at once; take four words that do not belong together",
        )
    return text


def _bytes_of(password: str) -> bytes:
    """A password's bytes; half a surrogate pair, which no keyboard types, counts as a letter."""
    return password.encode("utf-8", "surrogatepass")


def hash_of(password: str) -> str:
    """How a password is kept."""
    with _HASHING:
        return _HASHER.hash(_bytes_of(password))


def matches(password_hash: str, password: str) -> bool:
    """Whether a password is the one kept."""
    try:
        with _HASHING:
            return _HASHER.verify(password_hash, _bytes_of(password[: PASSWORD_MOST + 1]))
    except (VerificationError, InvalidHashError):
        return False


@keep_last(1)
def nobodys_hash() -> str:
    """Checked when there is no such account, so that the time tells nothing."""
    return hash_of(secrets.token_urlsafe(16))


def needs_rehash(password_hash: str) -> bool:
    """Whether a hash was made by other settings than the present ones."""
    return _HASHER.check_needs_rehash(password_hash)
