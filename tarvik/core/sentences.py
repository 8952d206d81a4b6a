"""Names of ours where a sentence begins, and within one."""

from __future__ import annotations


def sentence(text: str) -> str:
    """A text as a sentence begins; names within it stay as they were typed.

    >>> sentence("bo S sleeps here")
    'Bo S sleeps here'
    """
    return text[:1].upper() + text[1:]


def inside(name: str) -> str:
    """A name of ours within a sentence: small, but for a letter that stands for itself.

    >>> inside("Plow point"), inside("A-frame")
    ('plow point', 'A-frame')
    """
    return name if not name[1:2].islower() else name[:1].lower() + name[1:]
