/** Key, tuning, the chord at the cursor, the pitch of what is selected, and a tone to compare by ear. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, ask } from "../../api/client";
import type { Hearing, Source } from "../../api/types";
import { edit } from "../../app/edits";
import { keyName } from "../../app/fitting";
import { useView } from "../../app/view";
import { voices } from "../../audio/voices";
import { Button } from "../../design/Button";
import { fixed, NOTES } from "../../design/format";
import { Menu } from "../../design/Menu";
import { Toggle } from "../../design/Toggle";
import { keyItems } from "../../transport/KeyMenu";

const LONGEST_SOUND = 20 * 44100;

export function Harmony({ source, hearing }: { source: Source; hearing: Hearing | undefined }) {
  const selection = useView((s) =>
    s.selection?.source === source.id && s.selection.end > s.selection.start ? s.selection : null,
  );
  const cursor = useView((s) => s.cursor);
  const place = selection?.start ?? cursor;
  const chord = hearing?.chords.find((c) => c.start <= place && place < c.end);
  const short = selection && selection.end - selection.start <= LONGEST_SOUND ? selection : null;
  const pitch = useQuery({
    queryKey: ["pitch", source.audio, short?.start, short?.end],
    queryFn: () =>
      ask(
        api.GET("/api/audio/{audio}/pitch/{start}/{end}", {
          params: {
            path: { audio: source.audio, start: Math.round(short?.start ?? 0), end: Math.round(short?.end ?? 1) },
          },
        }),
      ),
    enabled: short !== null,
    staleTime: Infinity,
    retry: false,
  }).data;

  return (
    <section aria-label="Harmony" className="flex flex-col gap-1.5 border-t border-rule pt-2 text-[12.5px]">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <h3 className="title w-[40px] text-[14px]">Key</h3>
        <Menu
          label="Key of the find"
          trigger={
            <button
              type="button"
              aria-label={`Key of the find: ${keyName(source.key) || "as heard"}`}
              className="rounded-[2px] px-1 hover:bg-well"
            >
              {source.key ? (
                <b className="font-semibold">{keyName(source.key)}</b>
              ) : (
                <span className="text-ink2">as heard</span>
              )}{" "}
              ▾
            </button>
          }
          items={keyItems(
            source.key,
            "as heard",
            (key) => void edit({ type: "set_source_key", source: source.id, key }),
          )}
        />
        {hearing?.keys.length ? (
          hearing.keys.slice(0, 3).map((key, i) => (
            <span key={key.name} className={i || source.key ? "text-ink2" : "font-semibold"}>
              {key.name} <span className="font-normal tabular-nums">{Math.round(key.confidence * 100)} %</span>
            </span>
          ))
        ) : (
          <span className="text-ink2">{hearing ? "nothing here is in a key" : "Listening ..."}</span>
        )}
        {hearing?.cents !== null && hearing?.cents !== undefined ? (
          <span className="text-ink2">
            {Math.abs(hearing.cents) < 1
              ? "in tune with"
              : `${fixed(Math.abs(hearing.cents), 0)} cents ${hearing.cents > 0 ? "over" : "under"}`}{" "}
            A = 440 Hz
          </span>
        ) : null}
        {chord && chord.label !== "none" ? <span className="text-ink2">chord here: {chord.label}</span> : null}
        {short && pitch ? (
          <span role="status">
            {pitch.note
              ? `selected: ${pitch.note} ${pitch.cents !== null && pitch.cents >= 0 ? "+" : "−"}${fixed(Math.abs(pitch.cents ?? 0), 0)} cents, ${fixed(pitch.hz ?? 0, 1)} Hz`
              : "selected: no pitch"}
          </span>
        ) : null}
      </div>
      <Tone start={pitch?.key ?? null} cents={pitch?.cents ?? hearing?.cents ?? 0} />
    </section>
  );
}

/** One octave of tones, moved up and down. */
function Tone({ start, cents }: { start: number | null; cents: number }) {
  const [octave, setOctave] = useState(4);
  const [matched, setMatched] = useState(false);
  const offset = matched ? Math.round(cents) : 0;
  const play = (key: number) => void voices.reference(`/api/tone/${key}/${100 + offset}`);
  return (
    <div className="flex flex-wrap items-center gap-1">
      <h3 className="title w-[40px] text-[14px]">Tone</h3>
      {NOTES.map((note, i) => {
        const key = 12 * (octave + 1) + i;
        return (
          <Button
            key={note}
            className={`min-w-[25px] !px-1 ${start === key ? "outline-2 outline-tonal" : ""}`}
            aria-label={`Tone ${note} ${octave}`}
            onClick={() => play(key)}
          >
            {note}
          </Button>
        );
      })}
      <span role="group" aria-label="Octave" className="ml-1 inline-flex items-center">
        <Button
          className="!px-1.5"
          aria-label="Octave down"
          disabled={octave <= 1}
          onClick={() => setOctave(octave - 1)}
        >
          ▾
        </Button>
        <span className="w-[18px] text-center tabular-nums">{octave}</span>
        <Button className="!px-1.5" aria-label="Octave up" disabled={octave >= 7} onClick={() => setOctave(octave + 1)}>
          ▴
        </Button>
      </span>
      <Toggle
        on={matched}
        onChange={setMatched}
        hint="The tones at the record's own tuning, or at that of what is selected"
      >
        At its tuning
      </Toggle>
    </div>
  );
}
