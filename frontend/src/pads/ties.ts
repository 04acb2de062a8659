/** Knobs, wheels and pedals of a controller, each tied to a setting of the chosen pad by moving both. */
import { create } from "zustand";

import { queries } from "../app/queries";
import { changeOf, lastChanged } from "../app/shaping";
import type { About } from "../api/types";
import { usePocket } from "../app/pocket";
import { useView } from "../app/view";
import { clampTo, newGesture } from "../design/NumberField";
import { valueAt } from "../design/scale";

const REST_MS = 900;

/** waiting: the next control that moves is tied to the setting that was changed last. said: what a control did last. */
export const useTying = create<{ waiting: boolean; said: string }>(() => ({ waiting: false, said: "" }));

const gestures = new Map<number, { id: string; until: number }>();

/** A control moved (MIDI 1.0 control change): number, value 0 to 127. */
export function moveControl(control: number, value: number): void {
  const { pads, ties, look } = useView.getState();
  const pad = pads[0];
  if (pad === undefined || !usePocket.getState().open?.pocket.pads[pad]) return;
  if (useTying.getState().waiting && lastChanged()) {
    look({ ties: { ...ties, [control]: lastChanged() as string } });
    useTying.setState({ waiting: false });
  }
  const name = useView.getState().ties[control];
  const table = queries.getQueryData<About>(["about"])?.parameters.pad ?? [];
  const parameter = table.find((one) => one.name === name);
  if (!parameter) return useTying.setState({ said: `control ${control}: tied to nothing` });
  const rounded = clampTo(parameter, valueAt(parameter, value / 127));
  const now = performance.now();
  const before = gestures.get(control);
  const gesture = before && now < before.until ? before.id : newGesture();
  gestures.set(control, { id: gesture, until: now + REST_MS });
  changeOf(pads)({ [parameter.name]: rounded }, gesture);
  useTying.setState({ said: `control ${control}: ${parameter.label} ${rounded} ${parameter.unit}`.trim() });
}
