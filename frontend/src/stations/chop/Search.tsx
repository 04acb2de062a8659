/** Slices of all finds: filter them, or rank them by what is like a chosen one, or completes it. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useEffect, useRef } from "react";

import { api, ask } from "../../api/client";
import type { FoundSlice, SearchBody, SearchReply, Source } from "../../api/types";
import { playFound } from "../../app/chopping";
import { NOTES } from "../../design/format";
import { useOpenPocket, usePocket } from "../../app/pocket";
import { type SearchView, useView } from "../../app/view";
import { Button } from "../../design/Button";
import { fixed } from "../../design/format";
import { Menu } from "../../design/Menu";
import { ROLES } from "../../design/roles";
import { Toggle } from "../../design/Toggle";
import { RoleChips } from "./SliceTable";

const LENGTHS: [string, number, number][] = [
  ["any length", 0, 600],
  ["under 0.15 s", 0, 0.15],
  ["0.15 to 0.6 s", 0.15, 0.6],
  ["0.6 to 3 s", 0.6, 3],
  ["over 3 s", 3, 600],
];
const BRIGHT = { any: "any tone", dark: "dark", middle: "middle", bright: "bright" } as const;

export function Search({ source }: { source: Source }) {
  const pocket = useOpenPocket();
  const id = usePocket((s) => s.open?.id ?? "");
  const version = usePocket((s) => s.open?.version ?? 0);
  const chosen = useView((s) => s.cuts.at(-1));
  const pads = useView((s) => s.pads);
  const { text, roles, length, bright, tonic, tempo, rank, model } = useView((s) => s.search);
  const set = (change: Partial<SearchView>) =>
    useView.getState().look({ search: { ...useView.getState().search, ...change } });
  const marked = useView((s) => s.marked);
  const pad = pads.length === 1 ? pocket?.pads[pads[0] as number] : undefined;
  // What is highlighted in this list is what is at hand; then the slice chosen in its find, then the pad.
  const own = chosen && source.cuts.some((c) => c.id === chosen) ? ([source.id, chosen] as [string, string]) : null;
  const here = marked.at(-1) ?? own ?? (pad?.chop.cut ? ([pad.chop.source, pad.chop.cut] as [string, string]) : null);
  const bpm = pocket?.tempo ?? 100;
  const [, shortest, longest] = LENGTHS[length] as [string, number, number];
  const near = { any: {}, near: { slowest: bpm * 0.92, fastest: bpm * 1.08 }, faster: { slowest: bpm * 1.08 } }[tempo];
  // What was compared with may be gone.
  const known = model && pocket?.sources[model[0]]?.cuts.some((c) => c.id === model[1]) ? model : null;
  const body: SearchBody = {
    near: rank ? known : null,
    rank: rank ?? "like",
    roles,
    text,
    shortest,
    longest,
    bright,
    tonic,
    ...near,
  };
  const { data, error } = useQuery<SearchReply>({
    queryKey: ["slices", id, version, body],
    queryFn: () => ask(api.POST("/api/pockets/{pocket}/slices", { params: { path: { pocket: id } }, body })),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const list = data?.slices ?? [];
  const modelName = model && pocket?.sources[model[0]]?.cuts.find((c) => c.id === model[1])?.called;
  function by(next: "like" | "completes" | null) {
    set(next ? { rank: next, model: here ?? model } : { rank: null });
  }
  return (
    <section aria-label="Search all finds" className="flex min-h-0 grow flex-col gap-1 text-[12px]">
      <div className="flex flex-wrap items-center gap-1.5">
        <input
          aria-label="Search by name"
          placeholder="name or find"
          value={text}
          onChange={(event) => set({ text: event.target.value })}
          className="w-28 rounded-[3px] border border-rule bg-card px-2 py-[2px] placeholder:text-ink2"
        />
        <RoleChips roles={roles} onChange={(next) => set({ roles: next })} label="Roles to find; none for all" />
        <Menu
          label="Length"
          trigger={<Button>{LENGTHS[length]?.[0]} ▾</Button>}
          items={LENGTHS.map(([label], i) => ({ label, checked: i === length, onSelect: () => set({ length: i }) }))}
        />
        <Menu
          label="Tone"
          trigger={<Button>{BRIGHT[bright]} ▾</Button>}
          items={(Object.keys(BRIGHT) as (keyof typeof BRIGHT)[]).map((key) => ({
            label: BRIGHT[key],
            checked: key === bright,
            onSelect: () => set({ bright: key }),
          }))}
        />
        <Menu
          label="Pitch"
          trigger={<Button>{tonic === null ? "any pitch" : `pitch ${NOTES[tonic]}`} ▾</Button>}
          items={[
            { label: "any pitch", checked: tonic === null, onSelect: () => set({ tonic: null }) },
            ...NOTES.map((label, i) => ({ label, checked: i === tonic, onSelect: () => set({ tonic: i }) })),
          ]}
        />
        <Menu
          label="Tempo of the find"
          trigger={
            <Button>
              {tempo === "any" ? "any tempo" : tempo === "near" ? `near ${fixed(bpm, 0)} BPM` : "faster"} ▾
            </Button>
          }
          items={[
            { label: "any tempo", checked: tempo === "any", onSelect: () => set({ tempo: "any" }) },
            {
              label: `within 8 % of ${fixed(bpm, 0)} BPM`,
              checked: tempo === "near",
              onSelect: () => set({ tempo: "near" }),
            },
            { label: "faster than the pocket", checked: tempo === "faster", onSelect: () => set({ tempo: "faster" }) },
          ]}
        />
      </div>
      <div className="flex items-center gap-1.5">
        <Toggle
          on={rank === "like"}
          onChange={(on) => by(on ? "like" : null)}
          hint="Most alike first, compared with the chosen slice or pad"
        >
          Sounds like this
        </Toggle>
        <Toggle
          on={rank === "completes"}
          onChange={(on) => by(on ? "completes" : null)}
          hint="First what fills where it has little: lows under a thin kick"
        >
          Completes this
        </Toggle>
        <span className="min-w-0 truncate text-ink2" role="status">
          {error
            ? (error as Error).message
            : rank && !known
              ? "Choose a slice or a pad to compare with."
              : rank
                ? `compared with ${modelName ?? "the chosen slice"}`
                : `${data?.total ?? 0} slices`}
        </span>
      </div>
      {data || error ? (
        <Results list={list} ranked={rank !== null} />
      ) : (
        <p className="p-3 text-ink2">Looking at the slices of all finds ...</p>
      )}
    </section>
  );
}

const GRID = "grid grid-cols-[16px_minmax(0,1.2fr)_minmax(0,1fr)_58px_66px_48px_60px_52px] gap-1.5 px-1.5";

function Results({ list, ranked }: { list: FoundSlice[]; ranked: boolean }) {
  const sources = usePocket((s) => s.open?.pocket.sources);
  const rate = usePocket((s) => s.open?.pocket.rate ?? 1);
  const marked = useView((s) => s.marked);
  const on = new Set(marked.map(([, cut]) => cut));
  const box = useRef<HTMLDivElement>(null);
  const last = marked.at(-1)?.[1];
  useEffect(() => {
    if (last) box.current?.querySelector(`[data-found="${last}"]`)?.scrollIntoView({ block: "nearest" });
  }, [last]);
  function choose(one: FoundSlice, add: boolean) {
    const mark: [string, string] = [one.source, one.cut];
    const others = marked.filter(([, cut]) => cut !== one.cut);
    useView.getState().look({ marked: !add ? [mark] : on.has(one.cut) ? others : [...marked, mark] });
    playFound(one);
  }
  function onKeyDown(event: KeyboardEvent) {
    const at = list.findIndex((one) => one.cut === last);
    const way = { ArrowDown: 1, ArrowUp: -1, Enter: 0 }[event.key];
    const one = way === undefined ? undefined : list[Math.min(list.length - 1, Math.max(0, at + way))];
    if (!one) return;
    event.preventDefault();
    choose(one, event.shiftKey);
  }
  if (!list.length) return <p className="p-3 text-ink2">No slice is like that. Ask for less, or cut more finds.</p>;
  return (
    <>
      <div aria-hidden className={`${GRID} border-b border-rule text-[11px] text-ink2`}>
        <span />
        <span>name</span>
        <span>find</span>
        <span>length</span>
        <span>level</span>
        <span title="The note of its pitch, where it has a clear one">pitch</span>
        <span title="The middle of its spectrum: the higher, the brighter">tone</span>
        <span className="text-right">{ranked ? "fits" : ""}</span>
      </div>
      <div
        ref={box}
        role="listbox"
        aria-label="Slices found"
        aria-multiselectable
        tabIndex={0}
        data-own-arrows
        onKeyDown={onKeyDown}
        className="thin-scroll min-h-0 grow overflow-auto"
      >
        {list.map((one) => (
          <div
            key={one.cut}
            role="option"
            data-found={one.cut}
            aria-selected={on.has(one.cut)}
            draggable
            onDragStart={(event) => event.dataTransfer.setData("text/cut", `${one.source}/${one.cut}`)}
            onClick={(event) => choose(one, event.shiftKey || event.ctrlKey || event.metaKey)}
            className={`${GRID} cursor-pointer border-b border-rule py-[3px] ${on.has(one.cut) ? "bg-nowtint" : "hover:bg-well"}`}
          >
            <span aria-hidden style={{ color: one.role ? ROLES[one.role].color : undefined }}>
              {one.role ? ROLES[one.role].glyph : "–"}
            </span>
            <span className="truncate font-semibold">{one.name}</span>
            <span className="truncate text-ink2">{sources?.[one.source]?.name}</span>
            <span>{((one.end - one.start) / rate).toFixed(2)} s</span>
            <span>{one.level_db === null ? "–" : `${fixed(one.level_db, 1)} dB`}</span>
            <span>{one.note ?? "–"}</span>
            <span>
              {one.bright_hz >= 1000 ? `${fixed(one.bright_hz / 1000, 1)} kHz` : `${fixed(one.bright_hz, 0)} Hz`}
            </span>
            <span className="text-right">{one.score === null ? "" : `${Math.round(one.score * 100)} %`}</span>
          </div>
        ))}
      </div>
    </>
  );
}
