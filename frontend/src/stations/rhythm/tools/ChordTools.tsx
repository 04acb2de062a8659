/** The chord line: typed, taken from a find or from what a pad plays; and how a chop lies in it, bar by bar. */
import { useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useEffect, useState } from "react";

import { api, ask } from "../../../api/client";
import type { BarFit } from "../../../api/types";
import { currentSource } from "../../../app/actions";
import { edit } from "../../../app/edits";
import { usePocket } from "../../../app/pocket";
import { soundOf } from "../../../app/sounds";
import { useView } from "../../../app/view";
import { Button } from "../../../design/Button";
import { Menu } from "../../../design/Menu";
import { Toggle } from "../../../design/Toggle";
import { typed } from "../chords";
import type { ToolProps } from "./Tools";

export function ChordTools({ pattern, pocket }: ToolProps) {
  const now = typed(pattern);
  const [text, setText] = useState(now);
  const [follow, setFollow] = useState(false);
  useEffect(() => setText(now), [now, pattern.id]);
  useView((s) => s.source);
  const source = currentSource();
  const pad = useView((s) => s.pads).find((index) => pocket.pads[index]);
  const name = pad === undefined ? null : pocket.pads[pad]?.called;
  const set = () => {
    if (text.trim() !== now) void edit({ type: "set_chords", pattern: pattern.id, typed: text.trim(), follow });
  };
  const take = (from: { source?: string; start?: number; pad?: number }) =>
    void edit({ type: "take_chords", pattern: pattern.id, follow, ...from });
  return (
    <>
      <input
        aria-label="Chords of the pattern"
        placeholder="Dm | G7 | C | C"
        value={text}
        maxLength={400}
        onChange={(event) => setText(event.target.value)}
        onBlur={set}
        onKeyDown={(event) => {
          if (event.key === "Enter") set();
          if (event.key === "Escape") setText(now);
        }}
        className="w-[min(330px,30%)] min-w-40 rounded-[2px] border-[1.3px] border-ink bg-card px-2 py-[3px]"
      />
      <Menu
        label="Take chords"
        trigger={<Button>Take ▾</Button>}
        items={[
          {
            label: source ? `From ${source.name}` : "From the find in view",
            disabled: !source?.grid,
            onSelect: () => {
              if (!source) return;
              const { selection } = useView.getState();
              take({
                source: source.id,
                ...(selection?.source === source.id ? { start: Math.round(selection.start) } : {}),
              });
            },
          },
          {
            label: name ? `From what ${name} plays` : "From what a chosen pad plays",
            disabled: pad === undefined || !pattern.hits.some((hit) => hit.pad === pad),
            onSelect: () => pad !== undefined && take({ pad }),
          },
        ]}
      />
      <Toggle on={follow} onChange={setFollow} hint="With other chords the notes of tuned pads go along">
        Notes follow
      </Toggle>
      <Popover.Root>
        <Popover.Trigger asChild>
          <Button
            disabled={pad === undefined || !pattern.chords.length}
            hint={name ? `How ${name} lies in the chords, bar by bar` : "Choose a pad first"}
          >
            {name ? `Does ${name} fit?` : "Does it fit?"}
          </Button>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={6}
            collisionPadding={8}
            aria-label="How it fits"
            className="thin-scroll z-50 max-h-[50vh] w-[330px] overflow-auto rounded-[4px] border-[1.3px] border-ink bg-card p-2 text-[12.5px] shadow-[3px_3px_0_var(--color-well)]"
          >
            {pad === undefined ? null : <Fits pattern={pattern.id} pad={pad} />}
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
    </>
  );
}

function Fits({ pattern, pad }: { pattern: string; pad: number }) {
  const open = usePocket((s) => s.open);
  const id = open?.id ?? "";
  const found = useQuery({
    queryKey: ["fits", id, pattern, pad, open?.version],
    queryFn: () =>
      ask(
        api.GET("/api/pockets/{pocket}/patterns/{pattern}/fits", {
          params: { path: { pocket: id, pattern }, query: { pad } },
        }),
      ),
  });
  if (found.isPending) return <p className="text-ink2">Listening to it ...</p>;
  const bars = found.data?.bars ?? [];
  if (!bars.length) return <p>Nothing of it sounds under a chord here.</p>;
  return (
    <table className="w-full">
      <tbody>
        {bars.map((fit) => (
          <tr key={fit.bar} className="border-b border-rule">
            <td className="py-1">bar {fit.bar + 1}</td>
            <td>{fit.chord}</td>
            <td>{Math.round(fit.fit * 100)} % fits</td>
            <td className="text-right">
              {fit.shift ? (
                <Button onClick={() => shift(pattern, pad, fit)}>
                  {fit.shift > 0 ? "+" : "\u2212"}
                  {Math.abs(fit.shift)} st: {Math.round(fit.shifted * 100)} %
                </Button>
              ) : (
                "good"
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The hits of a bar moved by what fits: each for itself, the pad stays as it is. */
function shift(pattern: string, pad: number, fit: BarFit): void {
  const settings = usePocket.getState().open?.pocket;
  const hits = settings?.patterns[pattern]?.hits.filter((hit) => fit.hits.includes(hit.id)) ?? [];
  const standard = soundOf(settings?.pads[pad]?.sound ?? {}).pitch;
  const first = Number(hits[0]?.own.pitch ?? standard);
  void edit({
    type: "set_hits",
    pattern,
    hits: fit.hits,
    own: { pitch: Math.max(-24, Math.min(24, first + fit.shift)) },
  });
}
