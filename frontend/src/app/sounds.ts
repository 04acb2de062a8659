/** The settings of a sound in full. On the wire is only what differs from the defaults, which the core's table gives. */
import type { About, FullSound, Sound } from "../api/types";

let neutral: FullSound | null = null;
const known = new WeakMap<Sound, FullSound>();

export function learnNeutral(about: About): void {
  const defaults = Object.fromEntries((about.settings.pad ?? []).map((setting) => [setting.name, setting.default]));
  neutral ??= { ...defaults, by_velocity: {}, by_wheel: {}, chain: [] } as unknown as FullSound;
}

export function soundOf(sound: Sound): FullSound {
  let full = known.get(sound);
  if (!full) {
    full = { ...neutral, ...sound } as FullSound;
    known.set(sound, full);
  }
  return full;
}
