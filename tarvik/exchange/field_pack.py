"""A field pack: one ZIP file with everything of a course in open forms, to be opened on any device,
and by another Tarvik.
"""

from __future__ import annotations

import io
import zipfile
from typing import TYPE_CHECKING, Final

from tarvik.core.errors import InputError
from tarvik.exchange.course_file import MOST_BYTES

if TYPE_CHECKING:
    from collections.abc import Mapping

COURSE: Final = "course.json"
"""The course file within a pack."""
FIRST_BYTES: Final = b"PK\x03\x04"
"""How a ZIP file begins."""
MADE: Final = (2000, 1, 1, 0, 0, 0)
"""Files within bear no time: the same course makes the same pack."""


def pack(files: Mapping[str, str]) -> bytes:
    """A pack of texts by their names."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, text in files.items():
            made.writestr(zipfile.ZipInfo(name, MADE), text.encode(), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def course_within(raw: bytes) -> bytes:
    """The course file of a pack, or the file itself where it is none. Raises InputError."""
    if not raw.startswith(FIRST_BYTES):
        return raw
    try:
        with zipfile.ZipFile(io.BytesIO(raw)) as packed, packed.open(COURSE) as inside:
            # Read to the limit, whatever size the file says of itself.
            return inside.read(MOST_BYTES + 1)
    except KeyError:
        raise InputError("file", f"there is no {COURSE} in this ZIP file") from None
    except (
        zipfile.BadZipFile,
        NotImplementedError,
        RuntimeError,
        EOFError,
        OSError,
    ) as err:
        raise InputError(
            "file", f"this ZIP file cannot be read ({type(err).__name__})"
        ) from err
