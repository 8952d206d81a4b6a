"""The application for one of several web processes, put together from the environment its parent
left.
"""

from __future__ import annotations

import os
from dataclasses import replace
from typing import TYPE_CHECKING, Final

from tarvik import logs
from tarvik.commands.warm import warm
from tarvik.settings import read_settings
from tarvik.store.database import Database
from tarvik.web.app import create_app
from tarvik.work.hanging import Hangings
from tarvik.work.parents import end_with_parent
from tarvik.work.tidying import give_back

if TYPE_CHECKING:
    from fastapi import FastAPI

DATABASE: Final = "TARVIK_DATABASE_URL"
STAND_INS: Final = "TARVIK_STAND_INS"
DEMO: Final = "TARVIK_DEMO"
PORT: Final = "TARVIK_PORT"
KEEP_ALIVE_S: Final = 75
"""How long a connection with nothing to do is kept: longer than a leader looks at a page, so that
none is closed just as the next request comes.
"""


def factory() -> FastAPI:
    """What each web process serves."""
    end_with_parent()
    settings = replace(read_settings(), port=int(os.environ.get(PORT, "8080")))
    logs.install(settings.log)
    warm()
    give_back()  # the compiler sleeps from here on
    database = Database(os.environ[DATABASE], settings.pool)
    return create_app(
        database,
        os.environ.get(STAND_INS) or None,
        demo=bool(os.environ.get(DEMO)),
        settings=settings,
        hangings=Hangings(database).start(),
    )
