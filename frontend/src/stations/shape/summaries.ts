/** What a card does, in one line; null where nothing of it is set. */
import type { EffectInfo, FullSound, Pad, SettingInfo } from "../../api/types";
import type { ShapeCard } from "../../app/view";
import { fixed, NOTES } from "../../design/format";

export function noteName(key: number): string {
  return `${NOTES[((Math.round(key) % 12) + 12) % 12]}${Math.floor(Math.round(key) / 12) - 1}`;
}

export function hertz(value: number): string {
  return value >= 1000 ? `${fixed(value / 1000, value >= 10_000 ? 0 : 1)} kHz` : `${Math.round(value)} Hz`;
}

const signed = (value: number, digits = 2) =>
  `${value > 0 ? "+" : value < 0 ? "−" : ""}${fixed(Math.abs(value), digits)}`;
const some = (parts: (string | false | null | 0)[]) => parts.filter(Boolean).join(", ") || null;
const KINDS: Record<string, string> = { low: "low pass", high: "high pass", band: "band pass", notch: "notch" };

export function summary(
  card: ShapeCard,
  sound: FullSound,
  pad: Pad,
  about: { settings: Record<string, SettingInfo[]>; effects: EffectInfo[] },
): string | null {
  switch (card) {
    case "chop":
      return some([
        sound.play === "held" && "while held",
        sound.play === "loop" && `round and round${sound.loop_way === "both" ? ", back and forth" : ""}`,
        sound.reverse && "backwards",
        sound.normalise && "normalised",
        sound.flip && "upside down",
        sound.pan !== 0 && `pan ${signed(sound.pan, 0)} %`,
        (sound.start > 0 || sound.end > 0) && "trimmed",
        (sound.fade_in > 0 || sound.fade_out > 0) && "faded",
        (sound.band_from >= 20 || sound.band_to >= 20) &&
          `${sound.band_from >= 20 ? hertz(sound.band_from) : "0"} to ${sound.band_to >= 20 ? hertz(sound.band_to) : "all"}`,
      ]);
    case "pitch":
      return some([
        sound.pitch !== 0 && `${signed(sound.pitch)} st`,
        sound.time === "keep" && `keeps its length${sound.speed !== 100 ? `, ${fixed(sound.speed, 0)} %` : ""}`,
        sound.time === "fit" && `fits ${fixed(sound.beats, sound.beats % 1 ? 2 : 0)} beats`,
        sound.formant !== 0 && `formants ${signed(sound.formant, 1)} st`,
        sound.tune !== "off" && `corrected ${sound.tune === "key" ? "to the key" : "to any note"}`,
        sound.part_to > sound.part_from && "one part apart",
      ]);
    case "envelope":
      return some([
        sound.attack > 0 && `attack ${fixed(sound.attack, 0)} ms`,
        sound.hold > 0 && `hold ${fixed(sound.hold, 0)} ms`,
        (sound.decay > 0 || sound.sustain < 0) &&
          `decay ${fixed(sound.decay, 0)} ms to ${sound.sustain <= -60 ? "silence" : `${fixed(sound.sustain, 1)} dB`}`,
        sound.release !== 12 && `release ${fixed(sound.release, 0)} ms`,
        sound.anew && "anew at transients",
      ]);
    case "filter":
      return some([
        sound.filter !== "off" && `${KINDS[sound.filter]} ${hertz(sound.cutoff)}, ${sound.slope} dB`,
        sound.filter !== "off" && sound.filter_amount !== 0 && `envelope ${signed(sound.filter_amount, 0)} st`,
        sound.drive > 0 && `drive ${fixed(sound.drive, 1)} dB`,
      ]);
    case "motion":
      return some([
        ...([1, 2] as const).map((n) => {
          const to = (["level", "pan", "pitch", "cutoff"] as const).filter(
            (name) => Number(sound[`lfo${n}_${name}`]) > 0,
          );
          return (
            to.length > 0 &&
            `${to.join(" and ")}, ${sound[`lfo${n}_shape`]} ${sound[`lfo${n}_synced`] ? `every ${fixed(sound[`lfo${n}_beats`], 2)} beats` : `${fixed(sound[`lfo${n}_hz`], 2)} Hz`}`
          );
        }),
        sound.pitch_amount !== 0 && `pitch from ${signed(sound.pitch_amount, 0)} st`,
        (sound.motion_pitch !== 0 || sound.motion_cutoff !== 0 || sound.motion_drive !== 0 || sound.motion_pan !== 0) &&
          "one more envelope",
        Object.keys(sound.by_velocity).length > 0 && `velocity moves ${Object.keys(sound.by_velocity).length}`,
        Object.keys(sound.by_wheel).length > 0 && `wheel moves ${Object.keys(sound.by_wheel).length}`,
      ]);
    case "tone":
      return sound.chain.length
        ? sound.chain
            .map(
              ({ kind, on }) => `${about.effects.find((one) => one.kind === kind)?.label ?? kind}${on ? "" : " (off)"}`,
            )
            .join(", ")
        : null;
    case "layers":
      return pad.layers.length
        ? `${pad.layers.length + 1}: itself, ${pad.layers.map((layer) => layer.name || "another").join(", ")}`
        : null;
    case "keys":
      return some([
        sound.root !== 60 && `root ${noteName(sound.root)}`,
        pad.zones.length > 0 && `${pad.zones.length + 1} zones`,
        sound.voices !== "poly" && "one voice",
        sound.glide > 0 && `glide ${fixed(sound.glide, 0)} ms`,
        sound.spread > 0 && `${fixed(sound.copies, 0)} copies`,
        sound.chord !== "off" && `${sound.chord} from one key`,
        sound.in_key && "in the key only",
      ]);
  }
}
