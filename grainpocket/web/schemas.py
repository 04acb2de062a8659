"""What goes over the wire, apart from the document itself."""

import json
from typing import Any, Literal

from pydantic import BaseModel, Field, field_validator

from grainpocket.core.edits import Edit
from grainpocket.core.mix.loop import LoopPlan
from grainpocket.core.params import Parameter
from grainpocket.core.pocket import Pad as PadRecord
from grainpocket.core.pocket import Pattern, Pocket, Source
from grainpocket.core.text import readable
from grainpocket.store.models import JobRow
from grainpocket.store.pockets import State


class Problem(BaseModel):
    """An error. message is for the musician; code is for the program."""

    code: str
    message: str


class PocketPath(BaseModel):
    pocket: str


class AudioPath(BaseModel):
    audio: str


class SourcePath(PocketPath):
    source: str


class StretchPath(AudioPath):
    """start, end: samples of the source."""

    start: int = Field(ge=0)
    end: int = Field(ge=1)


class Segment(BaseModel):
    """A stretch of a loop: key names its audio, which holds samples start to start + frames of the loop."""

    key: str
    start: int
    frames: int


class Loop(BaseModel):
    pattern: str
    length: int = Field(description="Samples of one pass")
    rate: int
    tempo: float
    segments: list[Segment] = Field(description="In order and without gaps")


class Voice(BaseModel):
    """key names its audio of `frames` samples, of which the first `lead` are a fade in before the hit."""

    key: str
    frames: int
    lead: int


class Live(BaseModel):
    """What the hands may do to a voice that sounds: fades in samples. together: presses no further apart than this cut each
    other off no more than one hit does itself."""

    release: int
    choke: int
    together: int


class Sounds(BaseModel):
    """What a pocket sounds like now: a voice for each pad, and the loop that was asked for."""

    voices: dict[int, Voice]
    loop: Loop | None
    live: Live


class PocketState(BaseModel):
    id: str
    version: int
    undo: str | None
    redo: str | None
    pocket: Pocket


class PocketEntry(BaseModel):
    id: str
    name: str
    touched: float


class PocketList(BaseModel):
    pockets: list[PocketEntry]


class NewPocket(BaseModel):
    name: str = Field(min_length=1, max_length=80)

    @field_validator("name", mode="before")
    @classmethod
    def _readable(cls, name: Any) -> Any:
        return readable(name) if isinstance(name, str) else name


class EditRequest(BaseModel):
    """version: the state that the edit was made on; gesture: edits that share one are one step of undo; author: the tab;
    heard: the pattern whose loop to plan anew."""

    version: int
    edit: Edit
    gesture: str | None = Field(default=None, max_length=64)
    author: str = Field(default="", max_length=64)
    heard: str | None = None


class MoveRequest(BaseModel):
    """An undo or redo."""

    version: int
    heard: str | None = None


class Changes(BaseModel):
    """What differs from one state to the next; a record that is null is gone."""

    fields: dict[str, Any] = {}
    sources: dict[str, Source | None] = {}
    pads: dict[int, PadRecord | None] = {}
    patterns: dict[str, Pattern | None] = {}


class EditReply(BaseModel):
    """from_version: the state that the changes start from."""

    from_version: int
    version: int
    undo: str | None
    redo: str | None
    changes: Changes
    sounds: Sounds


class StaleProblem(Problem):
    """since: what was done in between; additive: nothing but finds was added, so the edit may simply be sent again."""

    since: list[str]
    additive: bool
    state: PocketState


class SoundState(BaseModel):
    """An earlier state that can be opened: what made it, and when (seconds since 1970)."""

    label: str
    made: float


class UnreadableProblem(Problem):
    """The pocket cannot be opened as it is. Undo on this version leads to `sound`."""

    version: int
    sound: SoundState | None


class Job(BaseModel):
    id: str
    kind: str
    title: str
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    step: str
    progress: float
    message: str
    found: str | None = Field(default=None, description="The find that was there already, when nothing was added")


class JobList(BaseModel):
    jobs: list[Job]


class About(BaseModel):
    """What the interface needs to know of the program: its limits and the ranges of all that can be set."""

    version: str
    rate: int
    page: int
    most_bytes: int
    most_minutes: float
    formats: list[str]
    peak_base: int
    peak_factor: int
    peak_levels: int
    peak_tile: int
    parameters: dict[str, list[Parameter]]


def state_reply(state: State) -> PocketState:
    return PocketState(id=state.id, version=state.version, undo=state.undo, redo=state.redo, pocket=state.pocket)


def job_reply(row: JobRow) -> Job:
    return Job(
        id=row.id, kind=row.kind, title=row.title, state=row.state, step=row.step,
        progress=row.progress, message=row.message, found=json.loads(row.detail).get("found"),
    )  # fmt: skip


def loop_reply(plan: LoopPlan, pattern: str, tempo: float) -> Loop:
    segments = [Segment.model_construct(key=s.key, start=s.start, frames=s.frames) for s in plan.segments]
    return Loop.model_construct(pattern=pattern, length=plan.length, rate=plan.rate, tempo=tempo, segments=segments)


def changes(old: Pocket, new: Pocket) -> Changes:
    """Frozen records that are the same object are the same; the rest is compared."""
    records = ("sources", "pads", "patterns")
    out: dict[str, Any] = {
        "fields": {
            name: getattr(new, name)
            for name in Pocket.model_fields
            if name not in records and getattr(new, name) != getattr(old, name)
        }
    }
    for name in records:
        before, after = getattr(old, name), getattr(new, name)
        changed: dict[Any, Any] = {k: v for k, v in after.items() if k not in before or (before[k] is not v and before[k] != v)}
        changed.update({k: None for k in before if k not in after})
        out[name] = changed
    return Changes.model_construct(**out)
