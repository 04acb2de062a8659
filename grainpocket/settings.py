"""What can be set from outside: environment variables with the prefix GRAINPOCKET_, overridden by the command line."""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from pathlib import Path

# Audio that ships with the application, rendered by grainpocket/demo/author.
RECORDS = Path(__file__).parent / "demo" / "audio"


def _number(name: str, default: float) -> float:
    return float(os.environ.get(f"GRAINPOCKET_{name}", default))


@dataclass(frozen=True)
class Settings:
    """data: folder of everything that is kept. most_minutes, most_bytes: limits of one imported file.
    render_mb: memory for rendered sound, voices and buses together. headroom: decibels by which records mastered to full scale
    are turned down."""

    data: Path = field(default_factory=lambda: Path(os.environ.get("GRAINPOCKET_DATA", "data")))
    port: int = field(default_factory=lambda: int(_number("PORT", 8000)))
    most_minutes: float = field(default_factory=lambda: _number("MOST_MINUTES", 30))
    most_bytes: int = field(default_factory=lambda: int(_number("MOST_BYTES", 1_000_000_000)))
    headroom: float = field(default_factory=lambda: _number("HEADROOM", -12))
    render_mb: int = field(default_factory=lambda: int(_number("RENDER_MB", 192)))

    @property
    def database(self) -> Path:
        return self.data / "grainpocket.db"

    @property
    def audio(self) -> Path:
        return self.data / "audio"

    @property
    def uploads(self) -> Path:
        return self.data / "uploads"

    @property
    def takes(self) -> Path:
        return self.data / "takes"

    @property
    def exports(self) -> Path:
        return self.data / "exports"

    @property
    def models(self) -> Path:
        return self.data / "models"

    @property
    def queue(self) -> Path:
        return self.data / "queue.db"
