/** The file: what it was, how loud it is, what it says of itself, and whose it is. */
import type { Hearing, Source } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed, seconds } from "../../design/format";
import { NumberField } from "../../design/NumberField";
import { CreditsSheet } from "./CreditsSheet";
import { Family } from "./Family";

export function Record({ source, rate, hearing }: { source: Source; rate: number; hearing: Hearing | undefined }) {
  const origin = source.origin;
  const loud = hearing?.loudness;
  const trim = useParameter("source", "trim");
  const rows: [string, React.ReactNode][] = [
    ["name", origin.file],
    ["format", `${origin.format.replace("_", " ")}${origin.lossy ? ", lossy" : ""}`],
    [
      "was",
      `${fixed(origin.rate / 1000, 1)} kHz, ${origin.channels === 1 ? "mono" : origin.channels === 2 ? "stereo" : `${origin.channels} channels, mixed down`}`,
    ],
    ["length", seconds(source.frames / rate)],
    ["loudness", loud?.lufs === null || loud?.lufs === undefined ? "–" : `${fixed(loud.lufs, 1)} LUFS`],
    ["peak", hearing?.peak_db === null || !hearing ? "silence" : `${fixed(hearing.peak_db, 1)} dBFS`],
    [
      "true peak",
      loud?.true_peak_db === null || loud?.true_peak_db === undefined ? "–" : `${fixed(loud.true_peak_db, 1)} dBTP`,
    ],
    ["clipped", loud ? (loud.clipped ? `${loud.clipped} places` : "nowhere") : "–"],
  ];
  return (
    <section aria-label="File" className="text-[12px]">
      <h3 className="title text-[14px]">The file</h3>
      <CreditsSheet source={source} />
      <Family source={source} rate={rate} />
      <dl className="mt-1.5 grid grid-cols-[62px_1fr] gap-y-0.5">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-ink2">{name}</dt>
            <dd className="truncate" title={typeof value === "string" ? value : undefined}>
              {value}
            </dd>
          </div>
        ))}
        <dt className="self-center text-ink2">trim</dt>
        <dd>
          <NumberField
            parameter={trim}
            value={source.trim}
            onChange={(value, gesture) => void edit({ type: "set_trim", source: source.id, trim: value }, gesture)}
            className="w-[80px]"
          />
        </dd>
      </dl>
      <Said source={source} />
      {origin.notes.map((note) => (
        <p key={note} className="mt-1.5 border-l-2 border-ink pl-2">
          {note}
        </p>
      ))}
    </section>
  );
}

/** Tempo and marks from the file's tags, offered beside what was heard. */
function Said({ source }: { source: Source }) {
  const { bpm, marks } = source.origin;
  if (bpm === null && !marks.length) return null;
  const points = marks.filter((mark) => mark.end === null).length;
  const loop = marks.find((mark) => mark.end !== null);
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-1">
      <span className="text-ink2">its tags say</span>
      {bpm !== null ? (
        <Button
          hint="Take the tempo that the file's tag gives"
          onClick={() => void edit({ type: "set_grid", source: source.id, bpm })}
        >
          {fixed(bpm, 2)} BPM
        </Button>
      ) : null}
      {points ? (
        <Button
          hint="Cut where the file's cue points and markers are"
          onClick={() => void edit({ type: "cut_at_marks", source: source.id })}
        >
          {points} {points === 1 ? "mark" : "marks"}
        </Button>
      ) : null}
      {loop ? (
        <Button
          hint="Select the loop that the file holds"
          onClick={() =>
            useView.getState().look({
              selection: { source: source.id, start: loop.at, end: loop.end ?? source.frames },
              loopSelection: true,
            })
          }
        >
          loop
        </Button>
      ) : null}
    </div>
  );
}
