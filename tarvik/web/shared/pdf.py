"""HTML to PDF with WeasyPrint. Only the application's own styles and fonts are read; nothing is
fetched.
"""

from __future__ import annotations

import logging
import re
from typing import Any

from tarvik.web.state import STATIC

logging.getLogger("weasyprint").setLevel(logging.ERROR)
logging.getLogger("fontTools").setLevel(logging.ERROR)


def with_drawing_styles(html: str) -> str:
    """Put the drawings' styles into every drawing: WeasyPrint gives an SVG no styles of the page
    around it.
    """
    rules = (STATIC / "app" / "drawing.css").read_text().replace(".drawing ", "")
    return re.sub(r"(<svg [^>]*>)", lambda found: f"{found[1]}<style>{rules}</style>", html)


def to_pdf(html: str) -> bytes:
    """PDF of a page that refers to its styles as /static/...; any other address is refused."""
    from weasyprint import HTML  # noqa: PLC0415  (slow to import, and only wanted here)
    from weasyprint.urls import URLFetcher  # noqa: PLC0415

    class Shipped(URLFetcher):  # type: ignore[misc]
        """Reads from the static folder only."""

        def fetch(self, url: str, headers: Any = None) -> Any:
            path = (STATIC / url.split("/static/", 1)[-1].split("?", 1)[0]).resolve()
            if "/static/" not in url or not path.is_relative_to(STATIC.resolve()):
                raise ValueError(f"not read: {url}")
            return super().fetch(path.as_uri(), headers)

    made: bytes = HTML(
        string=html, base_url="http://tarvik.invalid/", url_fetcher=Shipped()
    ).write_pdf()
    return made
