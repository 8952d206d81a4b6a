"""Asking a forecast service: time-outs, retries, and what to say when it fails."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import httpx2

from tarvik.core.errors import InputError, TarvikError
from tarvik.exchange.forecast import MOST_BYTES, read_json

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping
    from zoneinfo import ZoneInfo

    from tarvik.core.weather.forecast import Forecast

TIMEOUT_S: Final = 3.0
TRIES: Final = 3
PAUSE_S: Final = 0.3
"""Pause after the first failure; it doubles with each further one."""


class FeedError(TarvikError):
    """The service gave no forecast. `message` says why in words."""

    def __init__(self, message: str) -> None:
        super().__init__(message)
        self.message = message


@dataclass(frozen=True, slots=True)
class Feed:
    """Where a forecast service answers."""

    url: str
    timeout_s: float = TIMEOUT_S
    tries: int = TRIES
    pause_s: float = PAUSE_S
    sleep: Callable[[float], None] = time.sleep

    def fetch(self, query: Mapping[str, str], zone: ZoneInfo) -> Forecast:
        """Ask, again after a failure that may pass. Raises FeedError when every try failed or the
        answer is no forecast.
        """
        why = "it was not asked"
        for attempt in range(self.tries):
            if attempt:
                self.sleep(self.pause_s * 2 ** (attempt - 1))
            try:
                answer = self._ask(query)
            except httpx2.TimeoutException:
                why = f"no answer within {self.timeout_s:g} seconds"
                continue
            except httpx2.HTTPError as err:
                why = f"it cannot be reached ({type(err).__name__})"
                continue
            except InputError as err:
                raise FeedError(err.message) from err
            if answer.status_code >= 500 or answer.status_code == 429:
                why = f"it answers with an error ({answer.status_code})"
                continue
            if answer.status_code != 200:
                raise FeedError(f"it refuses the question ({answer.status_code})")
            try:
                return read_json(answer.content, zone)
            except InputError as err:
                why = f"its answer cannot be read: {err.message}"
        raise FeedError(f"{why}; tried {self.tries} times")

    def _ask(self, query: Mapping[str, str]) -> httpx2.Response:
        """One question. The answer is read up to MOST_BYTES and within the time-out in all. Raises
        httpx2.HTTPError.
        """
        end = time.monotonic() + self.timeout_s
        with (
            httpx2.Client(
                timeout=self.timeout_s, trust_env=False, follow_redirects=False
            ) as client,
            client.stream("GET", self.url, params=dict(query)) as answer,
        ):
            content = bytearray()
            for part in answer.iter_bytes():
                content += part
                if len(content) > MOST_BYTES:
                    raise InputError(
                        "forecast", f"the answer has more than {MOST_BYTES:,} letters"
                    )
                if time.monotonic() > end:
                    raise httpx2.ReadTimeout("too slow")
            return httpx2.Response(answer.status_code, content=bytes(content))
