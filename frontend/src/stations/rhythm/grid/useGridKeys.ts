/** The grid by keys: a place that arrows move, and what is chosen moved, copied, turned up and down. */
import type { KeyboardEvent } from "react";

import type { Hit, Pattern } from "../../../api/types";
import { edit } from "../../../app/edits";
import { useView } from "../../../app/view";
import { beatsOf, chosenIn, laneOf, STEP } from "../hits";
import type { Lane } from "../lanes";
import type { Sheet } from "./paint";
import { turnUp, type Over } from "./useHands";

/** What was copied, from its first beat on. */
let copied: Hit[] = [];

export function gridKeys(sheet: Sheet, over: Over) {
  const { pattern, lanes } = sheet;
  const { look } = useView.getState();
  return (event: KeyboardEvent) => {
    const at = sheet.cursor ?? { pad: lanes[0]?.pad ?? 0, beat: 0 };
    const found = lanes.findIndex(
      (lane) => lane.pads.includes(at.pad) && (lane.note === undefined || lane.note === (at.note ?? 0)),
    );
    const i = Math.max(0, found);
    const lane = lanes[i];
    const step = lane ? laneOf(pattern, lane.pad).step : STEP;
    const end = beatsOf(pattern);
    const chosen = chosenIn(pattern, useView.getState().hits);
    const under = lane && over.hitAt(lane, at.beat);
    const meant = chosen.length ? chosen : under ? [under] : [];
    const actions = event.ctrlKey || event.metaKey ? withControl(meant) : event.altKey ? withAlt(meant) : plain();
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();

    function plain(): Record<string, () => void> {
      return {
        ArrowLeft: () => look({ step: { ...at, beat: Math.max(0, at.beat - step) } }),
        ArrowRight: () => look({ step: { ...at, beat: Math.min(end - step, at.beat + step) } }),
        ArrowUp: () => (event.shiftKey ? turnUp(pattern, meant, 8) : goTo(lanes[Math.max(0, i - 1)])),
        ArrowDown: () => (event.shiftKey ? turnUp(pattern, meant, -8) : goTo(lanes[Math.min(lanes.length - 1, i + 1)])),
        Enter: () => toggle(),
        Home: () => look({ step: { pad: at.pad, beat: 0 } }),
        End: () => look({ step: { pad: at.pad, beat: end - step } }),
        ...(meant.length ? { Delete: () => remove(meant), Backspace: () => remove(meant) } : {}),
        ...(chosen.length ? { Escape: () => look({ hits: [] }) } : {}),
      };
    }
    function withAlt(hits: Hit[]): Record<string, () => void> {
      if (!hits.length) return {};
      const ids = hits.map((hit) => hit.id);
      const first = Math.min(...hits.map((hit) => hit.beat));
      const move = (beats: number, notes: number) => {
        void edit({ type: "move_hits", pattern: pattern.id, hits: ids, beats, notes });
        if (!chosen.length) look({ step: { ...at, beat: at.beat + beats, note: (at.note ?? 0) + notes } });
      };
      const stretch = (factor: number) =>
        void edit({ type: "stretch_hits", pattern: pattern.id, hits: ids, factor, about: first });
      return {
        ArrowLeft: () => (event.shiftKey ? stretch(0.5) : move(-step, 0)),
        ArrowRight: () => (event.shiftKey ? stretch(2) : move(step, 0)),
        ArrowUp: () => move(0, event.shiftKey ? 12 : 1),
        ArrowDown: () => move(0, event.shiftKey ? -12 : -1),
      };
    }
    function withControl(hits: Hit[]): Record<string, () => void> {
      const copy = () => {
        const first = Math.floor(Math.min(...hits.map((hit) => hit.beat)) / STEP + 1e-6) * STEP;
        copied = hits.map((hit) => ({ ...hit, id: "", beat: hit.beat - first }));
      };
      return {
        a: () => look({ hits: pattern.hits.filter((hit) => hit.beat < end).map((hit) => hit.id) }),
        ...(hits.length
          ? {
              c: copy,
              x: () => {
                copy();
                remove(hits);
              },
              d: () => again(hits),
            }
          : {}),
        ...(copied.length ? { v: () => paste(copied, at.beat) } : {}),
      };
    }
    function goTo(to: Lane | undefined) {
      look({ step: to ? { pad: to.pad, beat: at.beat, note: to.note } : at });
    }
    function toggle() {
      if (!lane) return;
      if (under) remove([under]);
      else over.put(lane, at.beat, null);
    }
    function remove(hits: Hit[]) {
      look({ hits: [] });
      void edit({ type: "remove_hits", pattern: pattern.id, hits: hits.map((hit) => hit.id) });
    }
    /** Once more behind itself, by whole beats. */
    function again(hits: Hit[]) {
      const from = Math.floor(Math.min(...hits.map((hit) => hit.beat)));
      const to = Math.ceil(Math.max(...hits.map((hit) => hit.beat + (hit.length ?? STEP))) - 1e-6);
      paste(
        hits.map((hit) => ({ ...hit, id: "", beat: hit.beat - from })),
        Math.max(to, from + 1),
      );
    }
    function paste(hits: Hit[], beat: number) {
      const inside = hits.map((hit) => ({ ...hit, beat: hit.beat + beat })).filter((hit) => hit.beat < end);
      if (inside.length) void put(pattern, inside);
    }
  };
}

/** Put hits in and choose them. */
async function put(pattern: Pattern, hits: Hit[]): Promise<void> {
  if (await edit({ type: "put_hits", pattern: pattern.id, hits }))
    useView.getState().look({ step: { pad: hits[0]?.pad ?? 0, beat: hits[0]?.beat ?? 0, note: hits[0]?.note } });
}
