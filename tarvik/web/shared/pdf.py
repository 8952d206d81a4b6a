"""HTML to PDF with WeasyPrint. Only the application's own styles and fonts are read; nothing is
fetched.
"""

from __future__ import annotations

import logging
import re
from typing import Any

from tarvik.web.state import STATIC

FONT = "text { font-family: 'Atkinson Hyperlegible Next'; }"
"""Drawings are lettered as the page is."""
logging.getLogger("weasyprint").setLevel(logging.ERROR)
logging.getLogger("fontTools").setLevel(logging.ERROR)


def with_drawing_styles(html: str) -> str:
    """Put the drawings' styles into every drawing: WeasyPrint gives an SVG no styles of the page
    around it, and knows no variables there: letters have the size that the drawing gives them,
    all else its fallback. It draws a letter's outline over the letter, so that there is none.
    """
    rules = (STATIC / "app" / "drawing.css").read_text().replace(".drawing ", "")
    rules = re.sub(r"font-size: [^;}]*var\([^;}]+[;}]", lambda found: found[0][-1], rules)
    rules = re.sub(
        r"paint-order: stroke; stroke: [^;}]+; stroke-width: [^;}]+;?", "", rules
    )
    rules = re.sub(r"var\(--[a-z-]+, *([^()]+)\)", r"\1", rules)
    rules += FONT
    return re.sub(r"(<svg [^>]*>)", lambda found: f"{found[1]}<style>{rules}</style>", html)


def to_pdf(html: str) -> bytes:
    """PDF of a page that refers to its styles as /static/...; any other address is refused."""
    from weasyprint import HTML  # noqa: PLC0415  (slow to import, and only wanted here)
    from weasyprint.urls import URLFetcher  # noqa: PLC0415

    class Shipped(URLFetcher):  # type: ignore[misc]
        """Reads from the static folder only."""

        def fetch(self, url: str, headers: object = None) -> Any:
            path = (STATIC / url.split("/static/", 1)[-1].split("?", 1)[0]).resolve()
            if "/static/" not in url or not path.is_relative_to(STATIC.resolve()):
                raise ValueError(f"not read: {url}")
            return super().fetch(path.as_uri(), headers)

    made: bytes = HTML(
        string=html, base_url="http://tarvik.invalid/", url_fetcher=Shipped()
    ).write_pdf()
    return made
