/** Under the overview: where only drums play, where none do, and where a voice sounds. */
import type { Source, Worth } from "../../api/types";
import { useView } from "../../app/view";
import { seconds } from "../../design/format";
import { Hint } from "../../design/Hint";
import { ROLES } from "../../design/roles";

const KINDS = {
  "bare drums": { role: "kick", row: 0 },
  "no drums": { role: "tonal", row: 0 },
  voice: { role: "vocal", row: 1 },
} as const;
const ROW = 13;
// Narrower than this (in per cent of the strip) and no word fits.
const ROOM = { "bare drums": 8, "no drums": 7, voice: 5 } as const;

/** behind: told by other bars than the grid's, while those are being listened to. */
export function PassageStrip({
  source,
  rate,
  worth,
  behind,
}: {
  source: Source;
  rate: number;
  worth: Worth | undefined;
  behind: boolean;
}) {
  const { look, setWindow } = useView.getState();
  // Its place is kept before anything is known: nothing moves when it comes.
  const rows = 2;
  if (!worth?.passages.length) return <div aria-hidden className="shrink-0" style={{ height: rows * ROW - 1 }} />;
  return (
    <div
      role="group"
      aria-label="Passages"
      aria-busy={behind}
      className={`relative shrink-0 ${behind ? "opacity-45 transition-opacity delay-300 duration-0" : ""}`}
      style={{ height: rows * ROW - 1 }}
    >
      {worth.passages.map((p) => {
        const { role, row } = KINDS[p.kind];
        const bars = p.bars ? `${p.bars} ${p.bars === 1 ? "bar" : "bars"}` : seconds((p.end - p.start) / rate);
        const wide = ((p.end - p.start) / source.frames) * 100;
        return (
          <Hint key={`${p.kind}${p.start}`} text={`${p.kind}, ${bars}: show and select`}>
            <button
              type="button"
              aria-label={`${p.kind}, ${bars}, from ${(p.start / rate).toFixed(1)} s`}
              className="absolute overflow-hidden rounded-[2px] px-1 text-left text-[11px] leading-[12px] font-semibold whitespace-nowrap text-card hover:brightness-110"
              style={{
                left: `${(p.start / source.frames) * 100}%`,
                width: `calc(${wide}% - 1px)`,
                top: row * ROW,
                height: ROW - 1,
                background: ROLES[role].color,
              }}
              onClick={() => {
                const margin = (p.end - p.start) * 0.02;
                setWindow(source.id, {
                  start: Math.max(0, p.start - margin),
                  end: Math.min(source.frames, p.end + margin),
                });
                look({ selection: { source: source.id, start: p.start, end: p.end }, cursor: p.start, found: null });
              }}
            >
              {wide > ROOM[p.kind] ? p.kind : ""}
            </button>
          </Hint>
        );
      })}
    </div>
  );
}
