"""What the web process works with: the stores, the renderer, and which recipe each key stands for."""

from __future__ import annotations

import threading
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor

from grainpocket.core.mix.loop import LoopPlan, Renderer, Segment, plan
from grainpocket.core.pocket import RATE, Pocket
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.shape.voice import VoiceSpec, spec_of
from grainpocket.core.sound.audio import planar
from grainpocket.jobs.queue import open_queue
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.jobs import JobStore
from grainpocket.store.pockets import PocketStore
from grainpocket.store.shelf import ShelfStore
from grainpocket.web.by_grid import WorthKeeper
from grainpocket.web.slicing import FactKeeper

_MOST_RECIPES, _MOST_AHEAD, _MOST_WIRE = 8000, 16, 64


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
        self.renderer = Renderer(self.audio, RATE, settings.render_mb)
        _, self.enqueue = open_queue(settings)
        self._recipes: OrderedDict[str, VoiceSpec | Segment] = OrderedDict()
        self._wire: OrderedDict[str, bytes] = OrderedDict()
        self._lock = threading.Lock()
        self._ahead = ThreadPoolExecutor(1, "render-ahead")

    def plan(self, pocket: Pocket, pattern: str) -> LoopPlan:
        """The loop of a pattern, its segments known by key from now on. Raises KeyError."""
        loop = plan(schedule(pocket, pocket.patterns[pattern]))
        self._know({segment.key: segment for segment in loop.segments})
        return loop

    def render_ahead(self, loop: LoopPlan) -> None:
        """Begin on the segments of a loop that are not rendered yet: they will be asked for in a moment."""
        missing = [segment for segment in loop.segments if not self.renderer.has(segment)][:_MOST_AHEAD]
        if missing:
            self._ahead.submit(lambda: [self._sent(segment.key, segment) for segment in missing])

    def voices(self, pocket: Pocket) -> dict[int, tuple[str, VoiceSpec]]:
        """(key, spec) of every pad's voice."""
        specs = {index: spec_of(pocket, pad) for index, pad in pocket.pads.items()}
        keyed = {index: (spec.key(pocket.rate), spec) for index, spec in specs.items()}
        self._know(dict(keyed.values()))
        return keyed

    def sound(self, key: str) -> bytes:
        """A voice or segment as it goes over the wire."""
        with self._lock:
            recipe = self._recipes.get(key)
            wire = self._wire.get(key)
        if recipe is None:
            raise UnknownKey(key)
        return wire if wire is not None else self._sent(key, recipe)

    def _sent(self, key: str, recipe: VoiceSpec | Segment) -> bytes:
        samples = self.renderer.segment(recipe) if isinstance(recipe, Segment) else self.renderer.voice(recipe)
        wire = planar(samples)
        with self._lock:
            # Most are asked for once, just after they were made, and then live in the browser's cache.
            self._wire[key] = wire
            while len(self._wire) > _MOST_WIRE:
                self._wire.popitem(last=False)
        return wire

    def _know(self, recipes: dict[str, VoiceSpec] | dict[str, Segment]) -> None:
        with self._lock:
            for key, recipe in recipes.items():
                self._recipes[key] = recipe
                self._recipes.move_to_end(key)
            while len(self._recipes) > _MOST_RECIPES:
                self._recipes.popitem(last=False)
