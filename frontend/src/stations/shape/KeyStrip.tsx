/** Keys of the chosen pad, by pointer, by letters and by the controller; its zones are marked over them. */
import { useView } from "../../app/view";
import { useSounding, voices } from "../../audio/voices";
import { toast } from "../../app/toasts";
import { Button } from "../../design/Button";
import { Toggle } from "../../design/Toggle";
import { useNotes } from "../../audio/instrument";
import { noteKey, pressNote, releaseNote } from "../../pads/notes";
import { noteName } from "./summaries";

const LOW = -24;
const HIGH = 24;
const BLACK = new Set([1, 3, 6, 8, 10]);

/** The note that sounds now, how far it is off its name, and a tone to hold it against. off: cents that the chop is sharp. */
function Tuner({ index, root, off }: { index: number; root: number; off: number | null }) {
  const down = useNotes((s) => s.down);
  const pressed = useSounding((s) => s.sounding[index]);
  // What rings on after a key is still that key; the pad itself is its root.
  const struck = useSounding((s) => s.notes[index]);
  const newest = [...down].at(-1);
  const key = root + (newest ?? struck ?? 0);
  const sounds = newest !== undefined || Boolean(pressed);
  const told = off === null ? "" : `, ${off > 0 ? "+" : off < 0 ? "\u2212" : ""}${Math.abs(Math.round(off))} ct`;
  return (
    <>
      <span className={`min-w-28 tabular-nums ${sounds ? "font-bold text-now" : "text-ink2"}`} data-testid="tuner">
        {sounds ? "sounds" : "last"} {noteName(key)}
        {told}
      </span>
      <Button
        hint="A plain tone of the note's true pitch"
        onClick={() =>
          void voices
            .reference(`/api/tone/${key}/100`)
            .catch((error: Error) => toast({ title: "The tone cannot be played", text: error.message, tone: "error" }))
        }
      >
        Tone {noteName(key)}
      </Button>
    </>
  );
}

/** off: cents that the chop is over the root that it is given, as it sounds; null where it has no pitch. */
export function KeyStrip({
  index,
  root,
  zones,
  off,
}: {
  index: number;
  root: number;
  zones: number[];
  off: number | null;
}) {
  const full = useView((s) => s.fullVelocity);
  const down = useNotes((s) => s.down);
  const { here, all } = useNotes();
  const octave = useView((s) => s.octave);
  const notesOn = useView((s) => s.notesOn);
  const notes = Array.from({ length: HIGH - LOW + 1 }, (_, i) => LOW + i).filter(
    (note) => root + note >= 0 && root + note <= 127,
  );
  const white = notes.filter((note) => !BLACK.has((((root + note) % 12) + 12) % 12));
  const wide = 100 / white.length;
  const left = (note: number) => {
    const before = white.filter((one) => one < note).length;
    return BLACK.has((((root + note) % 12) + 12) % 12) ? (before - 0.32) * wide : before * wide;
  };
  return (
    <div className="mt-1.5">
      <div
        role="group"
        aria-label="Keys"
        className="relative h-[64px] touch-none overflow-hidden rounded-[4px] border-[1.5px] border-ink bg-card"
        data-here={here}
        data-all={all}
      >
        {[...notes]
          .sort(
            (a, b) =>
              Number(BLACK.has((((root + a) % 12) + 12) % 12)) - Number(BLACK.has((((root + b) % 12) + 12) % 12)),
          )
          .map((note) => {
            const black = BLACK.has((((root + note) % 12) + 12) % 12);
            const on = down.has(note);
            const zone = note === 0 || zones.some((one) => Math.round(one) === root + note);
            return (
              <button
                key={note}
                type="button"
                tabIndex={note === 0 ? 0 : -1}
                data-note={note}
                aria-label={noteName(root + note)}
                aria-pressed={on}
                onPointerDown={(event) => {
                  event.currentTarget.setPointerCapture(event.pointerId);
                  pressNote(index, note, 110, event.timeStamp);
                }}
                onPointerUp={() => releaseNote(index, note)}
                onPointerCancel={() => releaseNote(index, note)}
                onKeyDown={(event) => {
                  if (event.key !== "Enter" || event.repeat) return;
                  event.preventDefault();
                  event.stopPropagation();
                  pressNote(index, note, 110, event.timeStamp);
                }}
                onKeyUp={(event) => event.key === "Enter" && releaseNote(index, note)}
                className={`absolute top-0 flex flex-col items-center justify-end border-ink pb-0.5 text-[11px] leading-none ${black ? "z-10 h-[60%] rounded-b-[3px] border-[1.3px]" : "h-full border-r"} ${on ? "bg-now text-card" : black ? "bg-ink text-card" : "bg-card text-ink2"}`}
                style={{ left: `${left(note)}%`, width: `${black ? wide * 0.64 : wide}%` }}
              >
                {zone ? (
                  <span aria-hidden className={`mb-auto mt-1 size-[6px] rounded-full ${on ? "bg-card" : "bg-tonal"}`} />
                ) : null}
                {notesOn ? noteKey(note, octave, root) : null}
                {!black && (root + note) % 12 === 0 && !(notesOn && noteKey(note, octave, root))
                  ? noteName(root + note)
                  : null}
              </button>
            );
          })}
      </div>
      <p className="pt-0.5 text-[11.5px] text-ink2" role="status">
        {notesOn
          ? "The keys play notes of this pad: A to ; and the row above; Z and X move them by an octave. I: pads again."
          : "I: the keys play notes of this pad."}
        {here < all ? ` ${here} of ${all} notes are ready.` : ""}
      </p>
      <div className="mt-1 flex items-center gap-1.5 text-[12px]">
        <Tuner index={index} root={root} off={off} />
        <span className="grow" />
        <Toggle
          on={full}
          onChange={(fullVelocity) => useView.getState().look({ fullVelocity })}
          hint="Every press of a pad or key is as hard as can be"
        >
          Full velocity
        </Toggle>
      </div>
    </div>
  );
}
