"""The separation engines that ship, by name; the first is the one that is used unless another is asked for."""

from __future__ import annotations

from collections.abc import Mapping

from grainpocket.core.split.base import Engine
from grainpocket.core.split.drums import DRUM_PARTS
from grainpocket.core.split.filters import FILTERS
from grainpocket.core.split.learned import LEARNED

ENGINES: Mapping[str, Engine] = {engine.name: engine for engine in (LEARNED, FILTERS, DRUM_PARTS)}
