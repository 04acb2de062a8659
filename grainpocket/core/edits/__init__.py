"""The edits a musician can make: (pocket, edit) -> pocket, or a clear refusal.

One list; the union that the API accepts, and so the TypeScript types, follow from it.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, TypeAdapter

from grainpocket.core.edits.base import EditModel, Library, Refusal
from grainpocket.core.edits.chords import BreakChords, PlaceChord, SetChords, SnapNotes, TakeChords, TurnChords
from grainpocket.core.edits.cutting import AddCut, CutAtMarks, DeleteCuts, MoveCut, NameSlice, Recut, SetRole, StepCut
from grainpocket.core.edits.derived import TakeRhythm
from grainpocket.core.edits.family import JoinFamily, LeaveFamily
from grainpocket.core.edits.found import CutStretches, StretchesToPads
from grainpocket.core.edits.gridding import MoveGrid, SetGrid, TakeTempo, TapTempo
from grainpocket.core.edits.hitting import MoveHits, PutHits, RemoveHits, SetHits, SetVelocities
from grainpocket.core.edits.kits import (
    AddToTray,
    CopyPad,
    CopyPage,
    NamePage,
    PlaySlice,
    SetLayer,
    SwitchSound,
    TakeFromTray,
    TrayToPads,
)
from grainpocket.core.edits.lanes import LiftFeel, RemoveFeel, RenameFeel, SetLanes, WriteIn
from grainpocket.core.edits.live import LiveCut
from grainpocket.core.edits.mixing import (
    AddBus,
    AddEffect,
    MoveEffect,
    RemoveBus,
    RemoveEffect,
    SendPads,
    SetBus,
    SetEffect,
    SetSend,
)
from grainpocket.core.edits.moving import CopyRhythm, MoveLanes, PlaceHits, Quantise, StretchHits
from grainpocket.core.edits.padding import ClearPads, MovePad, SetEachPad, SetPads, SlicesToPads
from grainpocket.core.edits.patterns import (
    AddPattern,
    OriginalRhythm,
    RemovePattern,
    SetPattern,
)
from grainpocket.core.edits.pocket_wide import (
    AddSource,
    RemoveSource,
    RenameSource,
    SetCredits,
    SetKey,
    SetPocket,
    SetSourceKey,
    SetTrim,
    TapPocket,
)
from grainpocket.core.edits.recordings import DropRecordings, KeepRecording, UseRecordings
from grainpocket.core.edits.shaping import AddZones, CopySound, FindRoot, FitToKey, SetAmounts, SetZone, SplitBands
from grainpocket.core.edits.shelved import TakeFromShelf
from grainpocket.core.edits.songs import AddSection, MoveSection, RemoveSection, SetSection, SetThread
from grainpocket.core.edits.spreading import FitToPads, RepeatBars, SplitByRole
from grainpocket.core.edits.stems import AddStems, SwapSounds
from grainpocket.core.edits.variants import AddVariant, UnlinkPattern

Edit = Annotated[
    SetPocket | TapPocket | AddStems | SwapSounds
    | SetKey | AddSource | RenameSource | RemoveSource | SetCredits | SetTrim | SetSourceKey | JoinFamily | LeaveFamily
    | SetGrid | TakeTempo | MoveGrid | TapTempo
    | Recut | CutAtMarks | AddCut | MoveCut | StepCut | DeleteCuts | NameSlice | SetRole
    | CutStretches | StretchesToPads | FitToPads | SplitByRole | RepeatBars | LiveCut
    | SlicesToPads | SetPads | SetEachPad | ClearPads | MovePad | CopyPad | PlaySlice | SwitchSound | SetLayer
    | SetAmounts | CopySound | SplitBands | FindRoot | AddZones | SetZone | FitToKey
    | NamePage | CopyPage | AddToTray | TakeFromTray | TrayToPads | TakeFromShelf
    | AddPattern | SetPattern | RemovePattern | OriginalRhythm | SetLanes | LiftFeel | RemoveFeel | RenameFeel | WriteIn
    | PutHits | RemoveHits | SetHits | MoveHits | Quantise | MoveLanes | PlaceHits
    | AddVariant | UnlinkPattern | KeepRecording | UseRecordings | DropRecordings
    | TakeRhythm | SetVelocities | StretchHits | CopyRhythm
    | SetChords | TakeChords | PlaceChord | SnapNotes | TurnChords | BreakChords
    | AddBus | SetBus | RemoveBus | AddEffect | SetEffect | MoveEffect | RemoveEffect | SetSend | SendPads
    | AddSection | SetSection | MoveSection | RemoveSection | SetThread,
    Field(discriminator="type"),
]  # fmt: skip
EDIT: TypeAdapter[Edit] = TypeAdapter(Edit)

__all__ = ["EDIT", "Edit", "EditModel", "Library", "Refusal"]
