"""The simulated forecast service, hand wind meter and range-and-bearing finder, answering on
loopback like real ones.

`fault` makes the service fail on purpose: slow, down, garbage, cut, gap, twice, fahrenheit, kmh,
zone, empty.
"""

from __future__ import annotations

import asyncio
import json
import threading
import time
from datetime import UTC, datetime, timedelta, timezone
from typing import TYPE_CHECKING

import uvicorn
from fastapi import FastAPI, HTTPException, WebSocket, WebSocketDisconnect
from fastapi.responses import JSONResponse, Response

from tarvik.core.quantities import fahrenheit
from tarvik.core.weather.forecast import Forecast, whole_hour
from tarvik.exchange.forecast import as_form
from tarvik.stand_ins.stories import STORIES, finder_shots, hours_of, meter_reading

if TYPE_CHECKING:
    from collections.abc import Callable

    from tarvik.core.plain import JsonObject

FAULTS = (
    "slow",
    "down",
    "garbage",
    "cut",
    "gap",
    "twice",
    "fahrenheit",
    "kmh",
    "zone",
    "empty",
)


FINDER_EVERY_S = 2.0
"""Time between two shots of the simulated range-and-bearing finder."""
SLOW_S = 4.0
"""How long the fault “slow” keeps one waiting: longer than anybody's patience."""


def _form(story: str, seed: int, start: datetime) -> JsonObject:
    hours = hours_of(story, seed, start)
    return as_form(
        Forecast(
            tuple(hours), whole_hour(datetime.now(UTC)), f"practice forecast “{story}”"
        )
    )


def _spoilt(form: JsonObject, fault: str) -> JsonObject:
    """The form with one of the faults real services have."""
    hours = form["hours"]
    if fault == "gap":
        form["hours"] = hours[:20] + hours[26:]
    elif fault == "twice":
        form["hours"] = [
            *hours[:12],
            {**hours[11], "temp_c": hours[11]["temp_c"] + 2},
            *hours[12:],
        ]
    elif fault == "fahrenheit":
        form["hours"] = [{**h, "temp_c": round(fahrenheit(h["temp_c"]), 1)} for h in hours]
    elif fault == "kmh":
        form["hours"] = [
            {**h, "wind_m_s": h["wind_m_s"] * 3.6, "gust_m_s": h["gust_m_s"] * 3.6}
            for h in hours
        ]
    elif fault == "zone":
        there = timezone(timedelta(hours=5, minutes=30))
        form["hours"] = [
            {**h, "time": datetime.fromisoformat(h["time"]).astimezone(there).isoformat()}
            for h in hours
        ]
    elif fault == "empty":
        form["hours"] = []
    return form


def create_service() -> FastAPI:
    """The simulated service."""
    app = FastAPI(
        title="Simulated weather", docs_url=None, redoc_url=None, openapi_url=None
    )

    @app.get("/forecast")
    async def forecast(
        story: str = "front", seed: int = 1, start: str = "", fault: str = ""
    ) -> Response:
        """Hours of a story from `start` (18 o'clock UTC of today when it names none)."""
        if story not in STORIES:
            raise HTTPException(404, f"no story {story}")
        if fault == "slow":
            await asyncio.sleep(SLOW_S)
        if fault == "down":
            raise HTTPException(503, "down for repair")
        if fault == "garbage":
            return Response("<html>busy, come back later</html>", media_type="text/html")
        try:
            begin = (
                datetime.fromisoformat(start)
                if start
                else datetime.now(UTC).replace(hour=18)
            )
        except ValueError:
            raise HTTPException(422, "start is no time") from None
        form = _spoilt(
            _form(story, seed, begin if begin.tzinfo else begin.replace(tzinfo=UTC)), fault
        )
        text = json.dumps(form)
        return Response(
            text[: len(text) // 2] if fault == "cut" else text,
            media_type="application/json",
        )

    @app.get("/wind-meter")
    def wind_meter(seed: int = 1, mean: float = 3.0) -> JSONResponse:
        """What the meter shows now."""
        second = int(time.time())
        return JSONResponse(
            {
                "at": datetime.now(UTC).isoformat(),
                "wind_m_s": meter_reading(seed, second, min(max(mean, 0.0), 40.0)),
            }
        )

    @app.websocket("/finder")
    async def finder(
        socket: WebSocket, seed: int = 1, every_s: float = FINDER_EVERY_S
    ) -> None:
        """The range-and-bearing finder: a shot every few seconds at the next thing round about,
        until one hangs up.
        """
        await socket.accept()
        try:
            for shot in finder_shots(seed):
                await socket.send_json(shot)
                await asyncio.sleep(min(max(every_s, 0.01), 60.0))
            await socket.close()
        except (WebSocketDisconnect, RuntimeError):
            return

    return app


def start_service(port: int) -> tuple[str, Callable[[], None]]:
    """Start the service on loopback in a thread. Returns its address and what stops it."""
    server = uvicorn.Server(
        uvicorn.Config(
            create_service(),
            host="127.0.0.1",
            port=port,
            log_level="critical",
            access_log=False,
        )
    )
    thread = threading.Thread(target=server.run, daemon=True, name="stand-ins")
    thread.start()
    while not server.started and thread.is_alive():
        time.sleep(0.02)

    def stop() -> None:
        server.should_exit = True
        thread.join(timeout=5)

    return f"http://127.0.0.1:{port}", stop
