"""Text that a musician typed or a file carries, as it can be read and stored."""

from __future__ import annotations

import re
import unicodedata
from typing import Any

# Zero-width joiners are invisible but hold emoji together.
JOINER = "\u200d"
UNREADABLE = ("Cc", "Cf", "Cs", "Zl", "Zp")  # controls, direction overrides, halves of characters, separators of lines


def readable(text: str) -> str:
    """The text in composed form (NFC), without what cannot be seen, turns the reading direction round, or cannot be stored."""
    kept = "".join(c for c in text if c == JOINER or unicodedata.category(c) not in UNREADABLE)
    return unicodedata.normalize("NFC", kept)


def with_readable_names(data: Any) -> Any:
    """What came as JSON with every `name` in it readable, however deep it lies."""
    if isinstance(data, dict):
        return {k: readable(v) if k == "name" and isinstance(v, str) else with_readable_names(v) for k, v in data.items()}
    if isinstance(data, list | tuple) and any(isinstance(one, dict) for one in data):
        return [with_readable_names(one) for one in data]
    return data


def file_name(text: str) -> str:
    """Without what no file system takes."""
    return re.sub(r'[\x00-\x1f\x7f/\\:*?"<>|]+', "_", text).strip(" .")
