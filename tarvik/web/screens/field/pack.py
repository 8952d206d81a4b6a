"""What goes into a course's field pack."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import Request
from sqlalchemy.orm import Session

from tarvik.exchange import course_file as form
from tarvik.exchange.columns import TABLES
from tarvik.exchange.field_pack import COURSE
from tarvik.exchange.ground_files import to_csv, to_geojson, to_gpx
from tarvik.store import course_file, courses, kit, night_plan, nights
from tarvik.store.models import Course, Night
from tarvik.web.deps import fields_of
from tarvik.web.screens.camp.view import CampView, camp_view
from tarvik.web.shared.pdf import with_drawing_styles
from tarvik.web.shared.standing import ground_of
from tarvik.web.state import STATIC, parts_of

README = """Field pack of {name}.

index.html         every night: open it in any browser, without network
night-*.html       one night: the evening at a glance, and a card for each shelter
night-*-map.svg    the camp's map
night-*.ics        the evening's tasks for a calendar, where they were planned
people.csv ...     the group and its kit as tables
site-*.geojson     the ground for maps and receivers, also as GPX and as a table
course.json        the whole course: import it on the first page of any Tarvik
course.schema.json the published form of that file

Figures are estimates. Local rules, the provider's procedures and qualified leaders come first.
"""


def files_of(request: Request, session: Session, course: Course) -> dict[str, str]:
    """The files of a pack by their names."""
    files = {"README.txt": README.format(name=course.name)}
    own = courses.nights(session, course.id)
    camps = [(night, camp_view(request, session, course, night)) for night in own]
    pages = parts_of(request).pages
    style = (STATIC / "app" / "pack.css").read_text()
    files["index.html"] = pages.get_template("field/pack_index.html").render(
        course=course, camps=camps, style=style
    )
    for night, camp in camps:
        files |= dict(_night_files(request, session, night, camp, style))
    files |= {
        f"{key}.csv": kit.table_csv(session, course, one) for key, one in TABLES.items()
    }
    files |= dict(_sites(session, course))
    files[COURSE] = form.write(course_file.export(session, course.id))
    files["course.schema.json"] = form.schema_text()
    return files


def _night_files(
    request: Request, session: Session, night: Night, camp: CampView, style: str
) -> Iterator[tuple[str, str]]:
    name = f"night-{night.position}"
    template = parts_of(request).pages.get_template("field/pack_night.html")
    yield (
        f"{name}.html",
        with_drawing_styles(template.render(**fields_of(camp), style=style, file=name)),
    )
    if camp.map:
        yield f"{name}-map.svg", with_drawing_styles(camp.map)
    calendar = night_plan.calendar_of(session, night) if night.on else None
    if calendar is not None:
        yield f"{name}.ics", calendar.decode()


def _sites(session: Session, course: Course) -> Iterator[tuple[str, str]]:
    for site in nights.sites(session, course.id):
        ground = ground_of(session, site.id)
        if ground is None:
            continue
        name = f"site-{site.position}"
        yield f"{name}.csv", to_csv(ground)
        if site.latitude is not None and site.longitude is not None:
            origin = site.latitude, site.longitude
            yield f"{name}.geojson", to_geojson(ground, origin, site.name)
            yield f"{name}.gpx", to_gpx(ground, origin, site.name)
