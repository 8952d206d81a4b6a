"""Plain values, as JSON has them: what columns of the database, files and letters hold.

What is in them is checked where they come in, by a form of `tarvik/exchange`; here they only have
a name, so that a signature says that such a thing is meant.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

JsonObject = dict[str, Any]
"""One that its holder may change."""
JsonMapping = Mapping[str, Any]
"""One that is only read."""
