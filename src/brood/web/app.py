"""The application factory: settings, database, safety, pages."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from flask import Flask, request
from werkzeug.routing import IntegerConverter

from brood.catalogue.loader import shipped
from brood.services.cases.planning import Planning
from brood.services.guide.own_figures import adjusted, standing
from brood.services.house import access
from brood.settings import Settings
from brood.store.session import open_store
from brood.web import compress, errors, filters, guard, mending, render, sending, undo
from brood.web.context import Running
from brood.web.explained import explained
from brood.web.forms.reader import KEY_DIGITS
from brood.web.inner import is_inner
from brood.web.routes.archive import record, sharing
from brood.web.routes.cases import cases, course
from brood.web.routes.diagnosis import looks
from brood.web.routes.followup import follow
from brood.web.routes.guide import guide, help, rehearsal
from brood.web.routes.house import (
    demo,
    door,
    first,
    house,
    pasting,
    places,
    plants,
    quarantine,
    settings,
    today,
)
from brood.web.routes.house import household as living
from brood.web.routes.season import journal, sightings, ways_in
from brood.web.routes.season import year as season
from brood.web.routes.treatment import before, evening, means, mix, shelf, ways
from brood.web.routes.warmth import degree_days

Clock = Callable[[], datetime]


class Number(IntegerConverter):
    """The number of something in an address. Text that is longer than any number can be
    does not match.
    """

    regex = rf"[0-9]{{1,{KEY_DIGITS}}}"


PAGES = (
    today,
    first,
    demo,
    plants,
    pasting,
    places,
    house,
    quarantine,
    season,
    sightings,
    ways_in,
    journal,
    sharing,
    record,
    cases,
    course,
    means,
    ways,
    before,
    evening,
    follow,
    looks,
    shelf,
    mix,
    living,
    guide,
    degree_days,
    rehearsal,
    settings,
    help,
    door,
)


def _needs_no_plan() -> bool:
    """Whether a request shows nothing that is worked out."""
    return request.endpoint == "static" or is_inner()


def create_app(given: Settings, clock: Clock = datetime.now) -> Flask:
    """The web application of one household; `clock` tells the local time."""
    app = Flask("brood.web")
    store = open_store(given.database)
    app.secret_key = access.session_secret(given.data)
    catalogue = shipped()
    planning = Planning(store, lambda session: adjusted(standing(session), catalogue), clock)
    app.extensions["household"] = Running(
        given, store, catalogue, clock, access.Doorkeeper(), planning
    )
    app.config.update(
        MAX_CONTENT_LENGTH=given.upload_mb * 1_000_000,
        MAX_FORM_MEMORY_SIZE=1_000_000,
        TRUSTED_HOSTS=list(given.hosts),
        SESSION_COOKIE_NAME="brood-demo" if given.demo else "brood",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Strict",
        PERMANENT_SESSION_LIFETIME=60 * 86400,
        SEND_FILE_MAX_AGE_DEFAULT=31_536_000,
    )
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    store.when_facts_change.append(planning.changed)
    app.before_request(lambda: None if _needs_no_plan() else planning.catch_up())
    filters.register(app)
    guard.register(app)
    errors.register(app)
    mending.register(app)
    undo.register(app)
    compress.register(app)
    sending.register(app)
    render.before_sending(explained, sending.prepared)
    app.url_map.converters["int"] = Number
    for pages in PAGES:
        app.register_blueprint(pages.bp)
    return app
