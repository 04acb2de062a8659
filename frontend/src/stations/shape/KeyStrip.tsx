/** Keys of the chosen pad, by pointer, by letters and by the controller; its zones are marked over them. */
import { useView } from "../../app/view";
import { useNotes } from "../../audio/instrument";
import { noteKey, pressNote, releaseNote } from "../../pads/notes";
import { noteName } from "./summaries";

const LOW = -24;
const HIGH = 24;
const BLACK = new Set([1, 3, 6, 8, 10]);

export function KeyStrip({ index, root, zones }: { index: number; root: number; zones: number[] }) {
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
                className={`absolute top-0 flex flex-col items-center justify-end border-ink pb-0.5 text-[11px] leading-none ${black ? "z-10 h-[60%] rounded-b-[3px] border-[1.3px]" : "h-full border-r"} ${on ? "bg-now text-white" : black ? "bg-ink text-card" : "bg-card text-ink2"}`}
                style={{ left: `${left(note)}%`, width: `${black ? wide * 0.64 : wide}%` }}
              >
                {zone ? (
                  <span
                    aria-hidden
                    className={`mb-auto mt-1 size-[6px] rounded-full ${on ? "bg-white" : "bg-tonal"}`}
                  />
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
    </div>
  );
}
