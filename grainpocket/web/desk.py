"""What the web process works with: the stores, the renderer, and which recipe each key stands for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

from grainpocket.core.document.sound import NEUTRAL
from grainpocket.core.kept import Kept
from grainpocket.core.mix.alone import alone, keys_through
from grainpocket.core.mix.loop import Renderer, Segment
from grainpocket.core.mix.routing import is_plain
from grainpocket.core.pocket import RATE, Pad, Pocket
from grainpocket.core.shape.playing import by_velocity, takes_turns
from grainpocket.core.shape.voice import VELOCITY_STEPS, VoiceSpec, spec_of, under_the_hand
from grainpocket.core.sound.audio import Samples, planar
from grainpocket.jobs.queue import Queues
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import JobStore
from grainpocket.store.networks import Models
from grainpocket.store.pockets import PocketStore
from grainpocket.store.shelf import ShelfStore
from grainpocket.web.by_grid import WorthKeeper
from grainpocket.web.heard import Heard, Named, Playing
from grainpocket.web.slicing import FactKeeper

_MOST_AHEAD, _MOST_TURNS = 16, 8
_ROOM_FOR_RECIPES, _RECIPE_BYTES = 16_000_000, 4000


@dataclass(frozen=True, eq=False)
class Struck:
    """A pad struck by hand, to be heard through its bus."""

    pocket: Pocket
    pad: int
    lead: int


Recipe = VoiceSpec | Segment | Struck


def _recipe_bytes(recipe: Recipe) -> int:
    # A segment of a dense pattern has hundreds of events, and every edit makes new ones.
    return _RECIPE_BYTES + (recipe.rows.nbytes if isinstance(recipe, Segment) else 0)


class UnknownKey(KeyError):
    """The server was restarted or has forgotten this sound's recipe: ask for the plan again."""


class Desk:
    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.database = Database(settings.database)
        self.pockets, self.jobs = PocketStore(self.database), JobStore(self.database)
        self.audio = AudioStore(settings.audio, "web")
        self.facts, self.worth = FactKeeper(self.audio), WorthKeeper(self.audio)
        self.shelf = ShelfStore(self.database, self.audio)
        self.models = Models(settings.models)
        # One budget for all that is rendered: voices and their sums, and what buses make of them.
        self.renderer = Renderer(self.audio, RATE, round(settings.render_mb * 0.4))
        self.heard = Heard(self.renderer, settings.render_mb * 450_000)
        self.enqueue = Queues(settings).hand_over
        self._recipes: Kept[str, Recipe] = Kept(_ROOM_FOR_RECIPES, _recipe_bytes)
        # Most are asked for once, just after they were made, and then live in the browser's cache.
        self._wire: Kept[str, bytes] = Kept(settings.render_mb * 150_000, len)
        self._ahead = ThreadPoolExecutor(1, "render-ahead")

    def segments(self, playing: Playing, first: int = 0, last: int | None = None) -> list[Segment | Named]:
        """What is heard between two samples, its segments known by key from now on."""
        found = self.heard.segments(playing, first, last)
        self._know({segment.key: segment for segment in found if isinstance(segment, Segment)})
        return found

    def render_ahead(self, segments: Sequence[Segment | Named]) -> None:
        """Begin on the segments of a plain loop that are not rendered yet: they will be asked for in a moment."""
        plain = [segment for segment in segments if isinstance(segment, Segment)]
        missing = [segment for segment in plain if not self.renderer.has(segment)][:_MOST_AHEAD]
        if missing:
            self._ahead.submit(lambda: [self._sent(segment.key, segment) for segment in missing])

    def voices(self, pocket: Pocket) -> dict[int, tuple[str, VoiceSpec]]:
        """(key, spec) of every pad's voice."""
        specs = {index: spec_of(pocket, pad, under_the_hand(pad)) for index, pad in pocket.pads.items()}
        return self._keyed(pocket, specs)

    def keys(self, pocket: Pocket, pad: int, notes: Iterable[int]) -> dict[int, tuple[str, VoiceSpec]]:
        """(key, spec) of a pad's voice at notes."""
        played = pocket.pads[pad]
        return self._keyed(pocket, {note: spec_of(pocket, played, under_the_hand(played, note)) for note in notes})

    def raw(self, pocket: Pocket, pad: int) -> tuple[str, VoiceSpec]:
        """(key, spec) of a pad's chop as it is in its record, at the level of its source."""
        bare = pocket.pads[pad].model_copy(update={"sound": NEUTRAL, "layers": (), "zones": ()})
        return self._keyed(pocket, {pad: spec_of(pocket, bare)})[pad]

    def variants(self, pocket: Pocket) -> dict[int, list[list[str]]]:
        """Keys of the voices of pads that do not always sound the same: by turn, and by velocity from soft to hard."""
        out = {}
        for index, pad in pocket.pads.items():
            softer, turns = by_velocity(pad), min(takes_turns(pad), _MOST_TURNS)
            if not softer and turns == 1:
                continue
            steps = VELOCITY_STEPS if softer else VELOCITY_STEPS[-1:]
            rows = []
            for turn in range(turns):
                strokes = [replace(under_the_hand(pad), turn=turn, velocity=velocity) for velocity in steps]
                known = self._keyed(pocket, dict(enumerate(spec_of(pocket, pad, stroke) for stroke in strokes)))
                rows.append([key for key, _ in known.values()])
            out[index] = rows
        return out

    def _keyed(self, pocket: Pocket, specs: Mapping[int, VoiceSpec]) -> dict[int, tuple[str, VoiceSpec]]:
        keyed = {index: (spec.key(pocket.rate), spec) for index, spec in specs.items()}
        self._know(dict(keyed.values()))
        return keyed

    def through(self, pocket: Pocket, voices: Mapping[int, tuple[str, VoiceSpec]]) -> dict[int, str]:
        """Keys of every pad's sound through its bus, known from now on; none where the voice itself is it."""
        keys = keys_through(pocket, voices)
        self._know({key: Struck(pocket, index, voices[index][1].lead(pocket.rate)) for index, key in keys.items()})
        return keys

    def tried(self, pocket: Pocket, index: int, pad: Pad, note: int, through: bool) -> Samples:
        """(n, 2): a pad as it would sound were it this one, at a note; through its bus where that is asked for and changes
        anything. Nothing of it is kept."""
        spec = spec_of(pocket, pad, under_the_hand(pad, note))
        if not through or is_plain(pocket):
            return self.renderer.voice(spec)
        so = pocket.model_copy(update={"pads": {**pocket.pads, index: pad}})
        return alone(so, index, spec.lead(pocket.rate), self.renderer)

    def sound(self, key: str) -> bytes:
        """A voice or segment as it goes over the wire."""
        recipe = self._recipes.get(key)
        if recipe is None:
            made = self.heard.sound(key)
            if made is None:
                raise UnknownKey(key)
            return planar(made)
        return self._sent(key, recipe)

    def _sent(self, key: str, recipe: Recipe) -> bytes:
        return self._wire.made(key, lambda: self._made(recipe))

    def _made(self, recipe: Recipe) -> bytes:
        if isinstance(recipe, Struck):
            samples = alone(recipe.pocket, recipe.pad, recipe.lead, self.renderer)
        else:
            samples = self.renderer.segment(recipe) if isinstance(recipe, Segment) else self.renderer.voice(recipe)
        return planar(samples)

    def _know(self, recipes: Mapping[str, Recipe]) -> None:
        for key, recipe in recipes.items():
            self._recipes.put(key, recipe)
