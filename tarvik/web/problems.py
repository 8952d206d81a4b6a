"""Errors become answers in one place: problem+json for programs and scripts, a kind page for
people.
"""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING, Final
from urllib.parse import parse_qsl, quote

from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from sqlalchemy.exc import DataError, DBAPIError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolTimeoutError
from starlette.exceptions import HTTPException

from tarvik.core.errors import InputError
from tarvik.core.plain import JsonObject
from tarvik.core.units import Units, told_in
from tarvik.store.accounts import TooManyTriesError
from tarvik.store.kit import ConflictError, NotFoundError
from tarvik.store.models import Course
from tarvik.web.access import RefusedError
from tarvik.web.state import parts_of

if TYPE_CHECKING:
    from fastapi import FastAPI, Request

log = logging.getLogger("tarvik.web")

MOST_DIGITS: Final = 9
"""Longer numbers are of no course."""
TITLES = {
    400: "The request could not be read",
    403: "Not allowed",
    404: "Not found",
    405: "Not possible here",
    409: "Somebody else changed this too",
    413: "Too large",
    429: "Too often",
    422: "Something needs another look",
    500: "Something broke on our side",
    503: "The database is not answering",
}


SECRETS: Final = frozenset(("password", "old", "new"))
"""Fields that are never written into a page."""
PASSING: Final = ("08", "53", "57P", "40001", "40P01", "25006")
"""SQLSTATEs that pass by themselves: connection, full disk or memory, shutting down or starting up,
transactions that met, a server that only reads (PostgreSQL manual, appendix A).
"""


def sqlstate(err: Exception) -> str:
    """The state PostgreSQL names; empty where it named none."""
    return str(getattr(getattr(err, "orig", None), "sqlstate", None) or "")


def passes(err: DBAPIError) -> bool:
    """Whether a fault of the database passes by itself: then the same request may work again."""
    state = sqlstate(err)
    lost = err.connection_invalidated or "connect" in str(err.orig).lower()
    return lost or state.startswith(PASSING)


def wants_page(request: Request) -> bool:
    """Whether a person's browser asked, not a script."""
    return "text/html" in request.headers.get(
        "accept", ""
    ) and not request.url.path.startswith("/api/")


def problem(
    request: Request,
    status: int,
    detail: str,
    field: str | None = None,
    again: JsonObject | None = None,
    **more: object,
) -> Response:
    """The answer for one error. `again`: the form that a page sends again by itself."""
    title = TITLES.get(status, "Something went wrong")
    if wants_page(request):
        return request.app.state.tarvik.pages.TemplateResponse(  # type: ignore[no-any-return]
            request,
            "problem.html",
            {
                "title": title,
                "detail": detail,
                "field": field,
                "status": status,
                "again": again,
            },
            status_code=status,
        )
    content = {
        "type": "about:blank",
        "title": title,
        "status": status,
        "detail": detail,
        "field": field,
        **more,
    }
    return JSONResponse(content, status_code=status, media_type="application/problem+json")


def _typed(request: Request) -> JsonObject | None:
    """A plain form's fields, to be sent again by the page that says so; not where there is a
    password among them.
    """
    sent = getattr(request.state, "sent", b"")
    if request.method != "POST" or not sent or not wants_page(request):
        return None
    fields = parse_qsl(sent.decode("utf-8", "replace"), keep_blank_values=True)
    if {name for name, _ in fields} & SECRETS:
        return None
    return {"action": request.url.path, "fields": fields}


def sign_in_page(request: Request, status: int = 200, **more: object) -> Response:
    """The form to sign in, which leads back to the start unless `more` says otherwise."""
    parts = request.app.state.tarvik
    blank = {"back": "/", "typed": {}, "fault": None, "demo": parts.demo}
    return parts.pages.TemplateResponse(  # type: ignore[no-any-return]
        request, "account/sign_in.html", {**blank, **more}, status_code=status
    )


def _asked_for(request: Request) -> str:
    """The path and query that was asked for."""
    query = request.scope["query_string"].decode("latin-1")
    return quote(request.scope["path"]) + (f"?{query}" if query else "")


def _plain(error: JsonObject) -> dict[str, str]:
    where = [str(part) for part in error["loc"] if part not in ("body", "query", "path")]
    words = str(error["msg"])[:300]
    if error["type"] == "missing":
        words = "this field is missing"
    if error["type"] == "extra_forbidden":
        words = "there is no such field"
    if error["type"] == "json_invalid":
        words = f"the body is no JSON: {error.get('ctx', {}).get('error', 'check it')}"
    if error["type"] == "finite_number":
        words = "give a finite number"
    return {"field": ".".join(where)[:200] or "body", "message": words}


def describe(document: JsonObject) -> JsonObject:
    """The OpenAPI document with problems under the media type they come as."""
    for methods in document["paths"].values():
        for call in methods.values():
            for status, answer in call["responses"].items():
                content = answer.get("content", {})
                if status[0] in "45" and "application/json" in content:
                    answer["content"] = {
                        "application/problem+json": content["application/json"]
                    }
    return document


def _units(request: Request) -> Units:
    """The unit of the course that an address is about; metric where it is about none."""
    number = str(request.path_params.get("course_id", ""))
    if not number.isdecimal() or len(number) > MOST_DIGITS:
        return Units.METRIC
    try:
        with parts_of(request).database.session() as session:
            course = session.get(Course, int(number))
            return Units.METRIC if course is None else Units(course.units)
    except SQLAlchemyError:
        return Units.METRIC  # the answer still says what is wrong with the form


def install(app: FastAPI) -> None:
    """Register every handler, and tell of problems in the OpenAPI document."""
    plain = app.openapi

    def openapi() -> JsonObject:
        if app.openapi_schema is None:
            app.openapi_schema = describe(plain())
        return app.openapi_schema

    app.openapi = openapi  # type: ignore[method-assign]

    @app.exception_handler(InputError)
    def _input(request: Request, err: InputError) -> Response:
        message = told_in(err.message, _units(request))
        errors = [{"field": err.field, "message": message}]
        return problem(request, 422, f"{err.field}: {message}", err.field, errors=errors)

    @app.exception_handler(RequestValidationError)
    def _validation(request: Request, err: RequestValidationError) -> Response:
        errors = [_plain(dict(e)) for e in err.errors()[:50]]
        first = errors[0] if errors else {"field": "body", "message": "check the request"}
        return problem(
            request,
            422,
            f"{first['field']}: {first['message']}",
            first["field"],
            errors=errors,
        )

    @app.exception_handler(RefusedError)
    def _refused(request: Request, err: RefusedError) -> Response:
        if err.sign_in and request.method == "GET" and wants_page(request):
            return sign_in_page(request, err.status, back=_asked_for(request))
        return problem(request, err.status, err.words)

    @app.exception_handler(NotFoundError)
    def _missing(request: Request, err: NotFoundError) -> Response:
        return problem(request, 404, str(err))

    @app.exception_handler(ConflictError)
    def _conflict(request: Request, err: ConflictError) -> Response:
        return problem(
            request,
            409,
            f"You wrote “{err.mine}”; meanwhile somebody wrote “{err.theirs}”.",
            err.column,
            mine=err.mine,
            theirs=err.theirs,
            version=err.version,
        )

    @app.exception_handler(TooManyTriesError)
    def _too_often(request: Request, _err: TooManyTriesError) -> Response:
        return problem(request, 429, "that was tried too often; wait a quarter of an hour")

    @app.exception_handler(RecursionError)
    def _deep(request: Request, _err: RecursionError) -> Response:
        return problem(request, 400, "the body is nested too deeply", "body")

    @app.exception_handler(HTTPException)
    def _http(request: Request, err: HTTPException) -> Response:
        detail = (
            str(err.detail)
            if err.status_code not in (404, 405)
            else "There is nothing at this address."
        )
        return problem(request, err.status_code, detail)

    @app.exception_handler(DBAPIError)
    @app.exception_handler(PoolTimeoutError)
    def _database(request: Request, err: Exception) -> Response:
        if isinstance(err, DataError):
            return problem(
                request,
                422,
                "A number or text in the request is beyond what can be kept; check it.",
                "request",
            )
        if isinstance(err, DBAPIError) and not passes(err):
            log.exception("database error", exc_info=err)
            return problem(
                request,
                500,
                "Nothing was changed. Try again; if it goes on, tell whoever runs this server.",
            )
        words = (
            "The disk of the database is full: tell whoever runs this server. What had been saved "
            "is there; what you typed is not saved yet."
            if sqlstate(err).startswith("53")
            else "Nothing was lost of what had been saved. Try again in a few seconds."
        )
        answer = problem(request, 503, words, again=_typed(request))
        answer.headers["Retry-After"] = "2"
        return answer

    @app.exception_handler(Exception)
    def _unforeseen(request: Request, err: Exception) -> Response:
        log.exception("unforeseen error", exc_info=err)
        return problem(
            request,
            500,
            "Nothing was changed. Try again; if it goes on, tell whoever runs this server.",
        )
