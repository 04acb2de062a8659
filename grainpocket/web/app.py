"""The Flask application."""

from pathlib import Path

import numpy as np
from flask import Response, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from pydantic import ValidationError
from pydantic_core import PydanticSerializationError
from werkzeug.exceptions import HTTPException

from grainpocket.core.document.settings import SOUND_GROUPS
from grainpocket.core.edits import Refusal
from grainpocket.core.effects import EFFECTS
from grainpocket.core.notes import CHORDS, SCALES, TONICS, chord_name
from grainpocket.core.params import GROUPS, Parameter
from grainpocket.core.pocket import PAGE, RATE
from grainpocket.core.rhythm.feel import OURS
from grainpocket.core.rhythm.schedule import velocity_gain
from grainpocket.core.rhythm.strokes import velocity_place
from grainpocket.core.shape.presets import PRESETS
from grainpocket.core.sound import peaks
from grainpocket.settings import Settings
from grainpocket.store.packing import Unsound
from grainpocket.store.pockets import NoSuchPocket, Stale, Unreadable
from grainpocket.store.room import NoRoom
from grainpocket.web import (
    chop,
    finds,
    fitting,
    listen,
    mixing,
    own,
    pockets,
    records,
    restore,
    rhythm,
    shape,
    shelf,
    sound,
    split,
    stems,
    takes,
    worth,
)
from grainpocket.web.answers import FOREVER, json_of
from grainpocket.web.desk import Desk, UnknownKey
from grainpocket.web.full import DiskFull, is_full
from grainpocket.web.schemas import (
    About,
    Preset,
    Problem,
    SoundState,
    StaleProblem,
    UnreadableProblem,
    effect_reply,
    setting_reply,
    state_reply,
)
from grainpocket.web.security import guard

VERSION = "0.1.0"
STATIC = Path(__file__).parent / "static"
FORMATS = [".wav", ".aif", ".aiff", ".flac", ".ogg", ".mp3"]


def create_app(settings: Settings, extra_ports: tuple[int, ...] = ()) -> OpenAPI:
    app = OpenAPI(
        __name__, info=Info(title="Grain Pocket", version=VERSION), static_folder=None, doc_ui=False,
        validation_error_callback=_invalid,
    )  # fmt: skip
    app.extensions["desk"] = Desk(settings)
    guard(app, {settings.port, *extra_ports})
    _errors(app)
    _pages(app)

    @app.get("/api/about", responses={200: About})
    def about() -> Response:
        parameters = {group: [s for s in table if isinstance(s, Parameter)] for group, table in GROUPS.items()}
        settings_ = {group: [setting_reply(s) for s in table] for group, table in GROUPS.items()}
        settings_ |= {f"sound_{group}": [setting_reply(s) for s in table] for group, table in SOUND_GROUPS.items()}
        presets = [Preset(name=name, settings=dict(some)) for name, some in PRESETS.items()]
        effects = [effect_reply(effect) for effect in EFFECTS.values()]
        return json_of(
            About(
                version=VERSION, rate=RATE, page=PAGE, most_bytes=settings.most_bytes, most_minutes=settings.most_minutes,
                formats=FORMATS, peak_base=peaks.BASE, peak_factor=peaks.FACTOR, peak_levels=peaks.LEVELS,
                peak_tile=finds.TILE, parameters=parameters, settings=settings_, effects=effects,
                presets=presets, feels=list(OURS.values()), chords={kind: chord_name(0, kind)[1:] for kind in CHORDS},
                tonics=list(TONICS), scales={mode: list(steps) for mode, steps in SCALES.items()},
                velocity_gains=velocity_gain(np.arange(128.0)).tolist(), velocity_places=[velocity_place(v) for v in range(128)],
            )
        )  # fmt: skip

    for part in (
        pockets,
        finds,
        records,
        listen,
        worth,
        chop,
        shelf,
        fitting,
        restore,
        sound,
        takes,
        mixing,
        shape,
        own,
        rhythm,
        split,
        stems,
    ):
        app.register_api(part.api)
    return app


def problem(status: int, code: str, message: str) -> Response:
    return json_of(Problem(code=code, message=message), status)


def _invalid(error: ValidationError) -> Response:
    first = error.errors(include_url=False)[0]
    where = ".".join(str(part) for part in first["loc"] if not isinstance(part, int) and "_" not in str(part)[:0])
    return problem(422, "invalid", f"{where}: {first['msg']}")


def _errors(app: OpenAPI) -> None:
    @app.errorhandler(Stale)
    def _stale(error: Stale) -> Response:
        done = ", ".join(error.since[-3:])
        message = "This pocket was changed elsewhere" + (f" ({done})" if done else "") + ". Your last change was not made."
        state = state_reply(error.state)
        return json_of(StaleProblem(code="stale", message=message, since=error.since, additive=error.additive, state=state), 409)

    @app.errorhandler(Refusal)
    def _refused(error: Refusal) -> Response:
        return problem(422, "refused", str(error))

    @app.errorhandler(Unsound)
    def _unsound(error: Unsound) -> Response:
        app.logger.error("%s %s: %s", request.method, request.path, error)
        message = f"That would make a pocket that cannot be opened again ({error}). It was not done; all is as it was."
        return problem(422, "unsound", message)

    @app.errorhandler(Unreadable)
    def _unreadable(error: Unreadable) -> Response:
        sound = SoundState(label=error.sound[0], made=error.sound[1]) if error.sound else None
        what_to_do = "Go back to it to work on." if sound else "No earlier state can be opened either; other pockets can."
        message = f"The last state of {error.name} ({error.label}) cannot be opened. Everything before it is kept. {what_to_do}"
        return json_of(UnreadableProblem(code="unreadable", message=message, version=error.version, sound=sound), 422)

    @app.errorhandler(NoRoom)
    def _no_room(error: NoRoom) -> Response:
        return _http(DiskFull())

    @app.errorhandler(NoSuchPocket)
    def _no_pocket(error: NoSuchPocket) -> Response:
        return problem(404, "no-pocket", "There is no such pocket here.")

    @app.errorhandler(UnknownKey)
    def _unknown(error: UnknownKey) -> Response:
        return problem(404, "unknown-key", "That sound has to be planned again.")

    @app.errorhandler(OverflowError)
    @app.errorhandler(RecursionError)
    @app.errorhandler(UnicodeError)
    @app.errorhandler(PydanticSerializationError)
    def _beyond(error: Exception) -> Response:
        """A number beyond what is stored, text that is none, or JSON nested beyond all use."""
        app.logger.warning("%s %s: %s", request.method, request.path, type(error).__name__)
        return problem(
            422, "invalid", "A number, a text or the nesting in that request is beyond what can be stored. Nothing was done."
        )

    @app.errorhandler(KeyError)
    def _missing(error: KeyError) -> Response:
        return problem(404, "missing", "That is not in the store.")

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        return problem(error.code or 500, (error.name or "error").lower().replace(" ", "-"), error.description or "")

    @app.errorhandler(Exception)
    def _unexpected(error: Exception) -> Response:
        if is_full(error):
            return _http(DiskFull())
        app.logger.exception("%s %s", request.method, request.path)
        return problem(500, "internal", "Something went wrong inside Grain Pocket. What you made is kept; try that again.")


def _pages(app: OpenAPI) -> None:
    @app.get("/", doc_ui=False)
    def page() -> Response:
        if not (STATIC / "index.html").exists():
            return Response("The interface has not been built yet: run `make build`.", 503, mimetype="text/plain")
        response = send_from_directory(STATIC, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response

    @app.route("/<path:name>")
    def asset(name: str) -> Response:
        response = send_from_directory(STATIC, name)
        response.headers["Cache-Control"] = FOREVER if name.startswith("assets/") else "no-cache"
        return response
