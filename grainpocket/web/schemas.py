"""What goes over the wire, apart from the document itself."""

import json
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from pydantic import BaseModel, Field, create_model, field_validator

from grainpocket.core.document.records import RECORDS, differences
from grainpocket.core.edits import Edit
from grainpocket.core.effects import Effect
from grainpocket.core.effects.base import AMOUNT
from grainpocket.core.mix.loop import Segment as Recipe
from grainpocket.core.params import Choice, Parameter, Setting
from grainpocket.core.pocket import Feel, Pocket
from grainpocket.core.rhythm.feel import lines
from grainpocket.core.text import readable
from grainpocket.store.models import JobRow
from grainpocket.store.pockets import BIN_DAYS, State
from grainpocket.web.heard import Named, Playing


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
    length: int = Field(description="Samples until it begins again")
    passes: int = Field(default=1, description="How often the pattern goes round in that")
    lines: list[float] = Field(
        default=[], description="Beats at which the sixteenths of the pattern are heard, where they are bent"
    )
    rate: int
    tempo: float
    segments: list[Segment] = Field(description="In order and without gaps")
    hits: list[int] = Field(description="Sample and pad of every hit, in turn, rising; none of a pattern of very many")
    settled: bool = Field(
        default=True,
        description="Whether these are the samples of the export; if not, ask for the settled loop when the hand rests",
    )


class Voice(BaseModel):
    """key names its audio of `frames` samples, of which the first `lead` are a fade in before the hit."""

    key: str
    frames: int
    lead: int
    through: str | None = Field(default=None, description="Names its sound through its bus and the master, where that is another")
    bus: str = Field(description="The bus that its pad is on, or master")
    release: int = Field(description="Samples of its fade once it is let go")
    variants: list[list[str]] = Field(description="By turn, then by velocity from soft to hard: keys, where they differ")


class Live(BaseModel):
    """What the hands may do to a voice that sounds: fades in samples. together: presses no further apart than this cut each
    other off no more than one hit does itself."""

    choke: int
    together: int


class KeysReply(BaseModel):
    """root: the key (MIDI) of note 0; notes: by semitones from it."""

    root: int
    notes: dict[int, Voice]


class SongStretch(BaseModel):
    """One time through a section: from which beat of the song on, and for how many; turn: which of its repeats, from 0."""

    section: str
    at: float
    beats: float
    turn: int


class Sounds(BaseModel):
    """What a pocket sounds like now: a voice for each pad, the loop that was asked for, and the song as it is laid out."""

    voices: dict[int, Voice]
    loop: Loop | None
    live: Live
    song: list[SongStretch]


class PocketState(BaseModel):
    id: str
    version: int
    undo: str | None
    redo: str | None
    pocket: Pocket


class PocketEntry(BaseModel):
    """touched: seconds since 1970; seconds: how long its song lasts, None without one; finds, patterns: how many it holds;
    binned: when it was put into the bin."""

    id: str
    name: str
    touched: float
    seconds: float | None
    finds: int
    patterns: int
    binned: float | None


class PocketList(BaseModel):
    """bin: those that are removed for good some days after they were put there."""

    pockets: list[PocketEntry]
    bin: list[PocketEntry]
    days: int = Field(default=BIN_DAYS, description="How long a pocket stays in the bin")


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


class _Changes(BaseModel):
    """What differs from one state to the next; a record that is null is gone."""

    fields: dict[str, Any] = {}


if TYPE_CHECKING:
    Changes = _Changes
else:
    # A field for each kind of record.
    Changes = create_model(
        "Changes", __base__=_Changes, __module__=__name__, __doc__=_Changes.__doc__,
        **{name: (dict[key, record | None], {}) for name, (record, key) in RECORDS.items()},
    )  # fmt: skip


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
    file: bool = Field(default=False, description="Whether it wrote a file that can be fetched")
    over_db: float | None = Field(default=None, description="By how much the sound of that file went over full scale")


class JobList(BaseModel):
    jobs: list[Job]


class Option(BaseModel):
    value: str
    label: str


class SettingInfo(BaseModel):
    """Anything that can be set. kind says which of the rest there is: of a number its range, of a choice its options."""

    kind: Literal["number", "choice", "switch"]
    name: str
    label: str
    help: str
    default: float | bool | str
    number: Parameter | None = None
    options: list[Option] = []


class EffectInfo(BaseModel):
    """An effect and all that can be set on it. keyed: it can listen to another sound; turns_down: what it takes away is shown;
    holds: effects can lie in its own loop."""

    kind: str
    label: str
    settings: list[SettingInfo]
    keyed: bool
    turns_down: bool
    holds: bool


class Preset(BaseModel):
    """A few settings to begin from."""

    name: str
    settings: dict[str, float | bool | str]


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
    settings: dict[str, list[SettingInfo]]
    effects: list[EffectInfo]
    presets: list[Preset]
    feels: list[Feel] = Field(description="Those of our own")
    chords: dict[str, str] = Field(description="What is written behind a tonic, by kind of chord")
    tonics: list[str] = Field(description="Names of the pitch classes, from C")
    scales: dict[str, list[int]] = Field(description="Semitones over the tonic, by mode")
    velocity_gains: list[float] = Field(description="Linear, by velocity from 0 to 127")
    velocity_places: list[int] = Field(description="By velocity: which of the voices from soft to hard it plays, where they differ")


def setting_reply(setting: Setting) -> SettingInfo:
    told = {"name": setting.name, "label": setting.label, "help": setting.help, "default": setting.default}
    if isinstance(setting, Parameter):
        return SettingInfo(kind="number", number=setting, **told)
    if isinstance(setting, Choice):
        return SettingInfo(kind="choice", options=[Option(value=value, label=label) for value, label in setting.options], **told)
    return SettingInfo(kind="switch", **told)


def effect_reply(effect: Effect) -> EffectInfo:
    settings = [setting_reply(s) for s in (*effect.settings, AMOUNT)]
    return EffectInfo(
        kind=effect.kind,
        label=effect.label,
        settings=settings,
        keyed=effect.keyed,
        turns_down=effect.turns_down,
        holds=effect.holds,
    )


def state_reply(state: State) -> PocketState:
    return PocketState(id=state.id, version=state.version, undo=state.undo, redo=state.redo, pocket=state.pocket)


def job_reply(row: JobRow) -> Job:
    detail = json.loads(row.detail)
    return Job(
        id=row.id, kind=row.kind, title=row.title, state=row.state, step=row.step,
        progress=row.progress, message=row.message, found=detail.get("found"), file=row.state == "done" and "file" in detail,
        over_db=detail.get("over_db"),
    )  # fmt: skip


# Hits of a loop that are told in every reply.
MOST_TOLD = 4096


def loop_reply(playing: Playing, found: Sequence[Recipe | Named], pattern: str, settled: bool = False) -> Loop:
    segments = [Segment.model_construct(key=s.key, start=s.start, frames=s.frames) for s in found]
    rows = playing.mix.schedule.rows
    rows = rows if len(rows) <= MOST_TOLD else rows[:0]
    return Loop.model_construct(
        pattern=pattern, length=playing.mix.length, rate=playing.mix.rate, tempo=playing.pocket.tempo, segments=segments,
        passes=playing.mix.schedule.passes, lines=bent(playing.pocket, pattern),
        hits=np.stack((rows["frame"], rows["pad"]), axis=1).ravel().tolist(), settled=settled or playing.run is None,
    )  # fmt: skip


def bent(pocket: Pocket, key: str) -> list[float]:
    """The lines of a pattern's grid, none where they are straight."""
    pattern = pocket.patterns.get(key)
    if pattern is None or (pattern.swing == 50.0 and pattern.feel is None):
        return []
    return lines(pocket, pattern)


def changes(old: Pocket, new: Pocket) -> Changes:
    return Changes.model_construct(**differences(old, new))
