"""Pockets: state, edits, undo and redo. What happens to one is told in web/events."""

from flask import Response, current_app

from grainpocket.core.mix.loop import Segment
from grainpocket.core.mix.routing import bus_of
from grainpocket.core.pocket import Pocket
from grainpocket.core.rhythm.schedule import CHOKE_FADE_S, TOGETHER_S
from grainpocket.core.shape.voice import VoiceSpec
from grainpocket.core.song.layout import stretches
from grainpocket.store.models import PocketRow
from grainpocket.store.pockets import Moved, NoSuchPocket, Unreadable
from grainpocket.web.answers import json_of
from grainpocket.web.desk import Desk
from grainpocket.web.heard import Named, Playing
from grainpocket.web.routes import routes
from grainpocket.web.schemas import (
    EditReply,
    EditRequest,
    Live,
    Loop,
    MoveRequest,
    NewPocket,
    PocketEntry,
    PocketList,
    PocketPath,
    PocketState,
    Problem,
    SongStretch,
    Sounds,
    StaleProblem,
    UnreadableProblem,
    Voice,
    changes,
    loop_reply,
    state_reply,
)

api = routes("pockets")


def desk() -> Desk:
    return current_app.extensions["desk"]  # type: ignore[no-any-return]


@api.get("/pockets", responses={200: PocketList})
def list_pockets() -> Response:
    """All pockets, the newest first, and those in the bin."""
    return json_of(_listing())


def _listing() -> PocketList:
    store = desk().pockets
    return PocketList(pockets=[_entry(row) for row in store.listing()], bin=[_entry(row) for row in store.listing(binned=True)])


def _entry(row: PocketRow) -> PocketEntry:
    try:
        pocket = desk().pockets.load(row.id).pocket
    except (Unreadable, NoSuchPocket):
        # It is listed all the same; opening it tells what is wrong and what can be done.
        return PocketEntry(id=row.id, name=row.name, touched=row.touched, binned=row.binned, finds=0, patterns=0, seconds=None)
    beats = sum(pocket.sections[key].beats * pocket.sections[key].repeats for key in pocket.song)
    return PocketEntry(
        id=row.id, name=row.name, touched=row.touched, binned=row.binned, finds=len(pocket.sources), patterns=len(pocket.patterns),
        seconds=beats * 60 / pocket.tempo if beats else None,
    )  # fmt: skip


@api.post("/pockets/<pocket>/copy", responses={201: PocketState, 404: Problem})
def copy_pocket(path: PocketPath, body: NewPocket) -> Response:
    """A new pocket that is as this one is now."""
    return json_of(state_reply(desk().pockets.copy(path.pocket, body.name)), 201)


@api.delete("/pockets/<pocket>", responses={200: PocketList, 404: Problem})
def bin_pocket(path: PocketPath) -> Response:
    """Put a pocket into the bin. It stays there as it is for some days, and can be opened and taken back."""
    desk().pockets.bin(path.pocket, True)
    return json_of(_listing())


@api.post("/pockets/<pocket>/restore", responses={200: PocketList, 404: Problem})
def restore_pocket(path: PocketPath) -> Response:
    """Take a pocket out of the bin."""
    desk().pockets.bin(path.pocket, False)
    return json_of(_listing())


@api.post("/pockets", responses={201: PocketState})
def create_pocket(body: NewPocket) -> Response:
    return json_of(state_reply(desk().pockets.create(Pocket(name=body.name))), 201)


@api.get("/pockets/<pocket>", responses={200: PocketState, 404: Problem, 422: UnreadableProblem})
def get_pocket(path: PocketPath) -> Response:
    return json_of(state_reply(desk().pockets.load(path.pocket)))


@api.post("/pockets/<pocket>/edits", responses={200: EditReply, 404: Problem, 409: StaleProblem, 422: Problem})
def make_edit(path: PocketPath, body: EditRequest) -> Response:
    """Make an edit. 409 when the pocket has moved on, 422 when the edit is refused."""
    heard = _Heard(path.pocket, body.heard)
    moved = desk().pockets.edit(
        path.pocket, body.version, body.edit, desk().audio, gesture=body.gesture, author=body.author, begun=heard.begin
    )  # fmt: skip
    return json_of(_reply(moved, heard))


@api.post("/pockets/<pocket>/undo", responses={200: EditReply, 404: Problem, 409: StaleProblem, 422: Problem})
def undo(path: PocketPath, body: MoveRequest) -> Response:
    return json_of(_reply(desk().pockets.undo(path.pocket, body.version), _Heard(path.pocket, body.heard)))


@api.post("/pockets/<pocket>/redo", responses={200: EditReply, 404: Problem, 409: StaleProblem, 422: Problem})
def redo(path: PocketPath, body: MoveRequest) -> Response:
    return json_of(_reply(desk().pockets.redo(path.pocket, body.version), _Heard(path.pocket, body.heard)))


class PatternPath(PocketPath):
    pattern: str


@api.get("/pockets/<pocket>/sounds/<pattern>", responses={200: Sounds, 404: Problem})
def get_sounds(path: PatternPath) -> Response:
    """The voices of all pads and the loop of a pattern ("none" for no loop), as they are now."""
    state = desk().pockets.load(path.pocket)
    return json_of(sounds(state.pocket, _Heard(path.pocket, path.pattern)))


def voice_reply(pocket: Pocket, index: int, key: str, spec: VoiceSpec, through: str | None, variants: list[list[str]]) -> Voice:
    lead = spec.lead(pocket.rate)
    return Voice.model_construct(
        key=key, frames=lead + spec.length, lead=lead, through=through, bus=bus_of(pocket, pocket.pads[index]),
        release=round(spec.sound.release * pocket.rate / 1000), variants=variants,
    )  # fmt: skip


class _Heard:
    """The pattern that the musician hears, and its plan: worked out once, and rendered while the edit is written to disk."""

    def __init__(self, pocket_id: str, pattern: str | None) -> None:
        self.pattern = pattern
        self._pocket_id = pocket_id
        self._found: tuple[Playing, list[Segment | Named]] | None = None

    def begin(self, pocket: Pocket) -> None:
        if self.pattern in pocket.patterns:
            playing = desk().heard.playing(self._pocket_id, pocket, self.pattern)
            self._found = playing, desk().segments(playing)
            desk().render_ahead(self._found[1])

    def loop(self, pocket: Pocket) -> Loop | None:
        """Its loop in a pocket; None when the pocket has no such pattern."""
        if self._found is None or self._found[0].pocket is not pocket:
            self.begin(pocket)
        if self.pattern is None or self._found is None or self._found[0].pocket is not pocket:
            return None
        playing, segments = self._found
        return loop_reply(playing, segments, self.pattern)


def sounds(pocket: Pocket, heard: _Heard) -> Sounds:
    known, variants = desk().voices(pocket), desk().variants(pocket)
    through = desk().through(pocket, known)
    voices = {
        index: voice_reply(pocket, index, key, spec, through.get(index), variants.get(index, []))
        for index, (key, spec) in known.items()
    }
    spans = {"choke": CHOKE_FADE_S, "together": TOGETHER_S}
    live = Live(**{name: int(span * pocket.rate) for name, span in spans.items()})
    song = [
        SongStretch.model_construct(section=one.section.id, at=one.at, beats=float(one.section.beats), turn=one.turn)
        for one in stretches(pocket)
    ]
    return Sounds.model_construct(voices=voices, loop=heard.loop(pocket), live=live, song=song)


def _reply(moved: Moved, heard: _Heard) -> EditReply:
    before, after = moved.before, moved.after
    return EditReply.model_construct(
        from_version=before.version, version=after.version, undo=after.undo, redo=after.redo,
        changes=changes(before.pocket, after.pocket), sounds=sounds(after.pocket, heard),
    )  # fmt: skip


__all__ = ["api", "desk", "sounds"]
