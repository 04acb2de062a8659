"""Edits to what was played into a pattern: each recording is kept, and chosen from later."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.document.rhythm import MOST_RECORDINGS
from grainpocket.core.document.sound import Sound
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern
from grainpocket.core.edits.hitting import MAX_HITS, with_hits, with_ids
from grainpocket.core.edits.padding import with_sound
from grainpocket.core.pocket import Hit, Pattern, Pocket, Recording


class KeepRecording(EditModel):
    """What was played, kept as a recording and put into the pattern. hits: new ones; ids: those that are in it already; alone: the
    other recordings are put away, so that it takes their place."""

    type: Literal["keep_recording"] = "keep_recording"
    pattern: str
    hits: tuple[Hit, ...] = Field(default=(), max_length=MAX_HITS)
    ids: tuple[str, ...] = Field(default=(), max_length=MAX_HITS)
    alone: bool = False

    def label(self, pocket: Pocket) -> str:
        return "recording"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if len(pattern.recordings) >= MOST_RECORDINGS:
            raise Refusal(f"A pattern keeps {MOST_RECORDINGS} recordings. Remove some first.")
        for hit in self.hits:
            with_sound(Sound(), hit.own)
        pocket, new = with_ids(pocket, tuple(h for h in self.hits if h.beat < pattern.beats))
        chosen = set(self.ids)
        mine = (*(hit for hit in pattern.hits if hit.id in chosen), *new)
        if not mine:
            raise Refusal("Nothing was played that lies in the pattern.")
        number = 1 + max((int(r.name.split()[-1]) for r in pattern.recordings if r.name.split()[-1].isdecimal()), default=0)
        pocket, (key,) = new_ids(pocket, "g", 1)
        recordings = [_put_away(pattern, one) if self.alone and one.on else one for one in pattern.recordings]
        recordings.append(Recording(id=key, name=f"Take {number}", hits=mine))
        return _in_use(pocket, pattern, tuple(recordings))


class UseRecordings(EditModel):
    """Which recordings are in use; their hits as they were last, the rest of the pattern stays."""

    type: Literal["use_recordings"] = "use_recordings"
    pattern: str
    recordings: tuple[str, ...] = Field(max_length=MOST_RECORDINGS)

    def label(self, pocket: Pocket) -> str:
        return "choose takes"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        wanted = set(self.recordings)
        if wanted - {one.id for one in pattern.recordings}:
            raise Refusal("That take is no longer there.")
        changed = []
        for one in pattern.recordings:
            if one.on and one.id not in wanted:
                one = _put_away(pattern, one)
            elif not one.on and one.id in wanted:
                one = one.model_copy(update={"on": True})
            changed.append(one)
        return _in_use(pocket, pattern, tuple(changed))


class DropRecordings(EditModel):
    """Forget recordings; the hits of those in use stay in the pattern as its own."""

    type: Literal["drop_recordings"] = "drop_recordings"
    pattern: str
    recordings: tuple[str, ...] = Field(min_length=1, max_length=MOST_RECORDINGS)

    def label(self, pocket: Pocket) -> str:
        return "forget takes"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        left = tuple(one for one in pattern.recordings if one.id not in self.recordings)
        return pocket.with_pattern(pattern.model_copy(update={"recordings": left}))


def _put_away(pattern: Pattern, one: Recording) -> Recording:
    """Not in use, with its hits as they are now: what was moved or removed since stays so."""
    there = {hit.id: hit for hit in pattern.hits}
    return one.model_copy(update={"on": False, "hits": tuple(there[hit.id] for hit in one.hits if hit.id in there)})


def _in_use(pocket: Pocket, pattern: Pattern, recordings: tuple[Recording, ...]) -> Pocket:
    """The pattern with the hits of those that are on, and without those of the others."""
    known = {hit.id for one in (*pattern.recordings, *recordings) for hit in one.hits}
    was_on = {hit.id for one in pattern.recordings if one.on for hit in one.hits}
    there = {hit.id: hit for hit in pattern.hits}
    hits = {hit.place: hit for hit in pattern.hits if hit.id not in known}
    for one in recordings:
        if one.on:
            for hit in one.hits:
                # Of those that were on all along, what stands in the pattern counts: it may have been moved since, or removed.
                now = there.get(hit.id, None if hit.id in was_on else hit)
                if now is not None:
                    hits[now.place] = now
    pattern = pattern.model_copy(update={"recordings": recordings})
    return with_hits(pocket.with_pattern(pattern), pattern, hits.values())
