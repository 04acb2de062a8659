/** Chop: cuts, slices, and the way to the pads. */
import { Tabs } from "radix-ui";

import type { Snap, Source } from "../../api/types";
import { chooseSlice, cutHere, deleteCuts } from "../../app/actions";
import { useParameter } from "../../app/about";
import { usePocket } from "../../app/pocket";
import { type ChopPanel, useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { NumberField } from "../../design/NumberField";
import { Toggle } from "../../design/Toggle";
import { WaveTools } from "../../wave/WaveTools";
import { Overview } from "../../wave/Overview";
import { WaveView } from "../../wave/WaveView";
import { Policies } from "./Policies";
import { Proof } from "./Proof";
import { Search } from "./Search";
import { FoundActions, SliceActions, TrayActions } from "./SliceActions";
import { SliceTable } from "./SliceTable";
import { Tray } from "./Tray";

const SNAPS: [Snap, string][] = [
  ["attack", "attacks"],
  ["quiet", "quiet points"],
  ["grid", "grid"],
  ["off", "nothing"],
];

export function Chop({ source, rate }: { source: Source; rate: number }) {
  const chosen = useView((s) => s.cuts.filter((id) => source.cuts.some((c) => c.id === id)).length);
  const panel = useView((s) => s.chopPanel);
  const tray = usePocket((s) => s.open?.pocket.tray.length ?? 0);
  const panels: [ChopPanel, string][] = [
    ["slices", "Slices"],
    ["search", "All finds"],
    ["tray", tray ? `Tray, ${tray}` : "Tray"],
    ["proof", "Repeats and null"],
  ];
  return (
    <div className="flex min-h-0 grow flex-col gap-1.5 px-4 pt-2 pb-2">
      <Overview source={source} height={30} />
      <WaveView source={source} height={196} cutting onSlice={chooseSlice.bind(null, source)} />
      <WaveTools source={source} rate={rate} />
      <WaveRow chosen={chosen} />
      <Policies source={source} />
      <Tabs.Root value={panel} onValueChange={(value) => useView.getState().look({ chopPanel: value as ChopPanel })} className="flex min-h-0 grow flex-col gap-1.5">
        <div className="flex items-center gap-2 border-b border-rule">
          <Tabs.List aria-label="Slices, search, tray, proof" className="flex gap-3">
            {panels.map(([value, label]) => (
              <Tabs.Trigger key={value} value={value} className="title -mb-px border-b-2 border-transparent pb-0.5 text-[13.5px] whitespace-nowrap text-ink2 data-[state=active]:border-now data-[state=active]:text-ink">
                {label}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <span className="grow" />
          <span className="flex items-center gap-1.5 pb-1">
            {panel === "search" ? <FoundActions /> : panel === "tray" ? <TrayActions /> : <SliceActions source={source} chosen={chosen} />}
          </span>
        </div>
        <Tabs.Content value="slices" tabIndex={-1} className="flex min-h-0 grow flex-col data-[state=inactive]:hidden">
          <SliceTable source={source} rate={rate} />
        </Tabs.Content>
        <Tabs.Content value="search" tabIndex={-1} className="flex min-h-0 grow flex-col data-[state=inactive]:hidden">
          <Search source={source} />
        </Tabs.Content>
        <Tabs.Content value="tray" tabIndex={-1} className="flex min-h-0 grow flex-col data-[state=inactive]:hidden">
          <Tray />
        </Tabs.Content>
        <Tabs.Content value="proof" tabIndex={-1} className="flex min-h-0 grow flex-col data-[state=inactive]:hidden">
          <Proof source={source} rate={rate} />
        </Tabs.Content>
      </Tabs.Root>
    </div>
  );
}

function WaveRow({ chosen }: { chosen: number }) {
  const snap = useView((s) => s.snap);
  const live = useView((s) => s.live);
  const look = useView.getState().look;
  return (
    <div className="flex flex-wrap items-center gap-x-1.5 gap-y-1">
      <Toggle on={live} onChange={(on) => look({ live: on })} keys="J" hint="While the find plays, a press of a free pad cuts there and takes the slice; press it again to take it anew">
        Cut live
      </Toggle>
      {live ? <LiveSettings /> : null}
      <span className="grow" />
      {live ? null : (
        <Menu
          label="Cuts made by hand go to"
          trigger={<Button hint="Where cuts made or dragged by hand go; hold Alt while dragging for none">Snap: {SNAPS.find(([one]) => one === snap)?.[1]} ▾</Button>}
          items={SNAPS.map(([one, label]) => ({ label, checked: one === snap, onSelect: () => look({ snap: one }) }))}
        />
      )}
      <Button keys="N" hint="New cut at the playhead or cursor; a double click on the wave does it too" onClick={cutHere}>
        Add cut
      </Button>
      <Button keys="Delete" hint="The slice before it grows" disabled={!chosen} onClick={deleteCuts}>
        Delete cut
      </Button>
    </div>
  );
}

function LiveSettings() {
  const reach = useParameter("chop", "window");
  const delay = useParameter("chop", "latency");
  const catchMs = useView((s) => s.catchMs) ?? reach.default;
  const delayMs = useView((s) => s.delayMs) ?? delay.default;
  const look = useView.getState().look;
  return (
    <span className="inline-flex items-baseline gap-1.5 text-[12px]">
      <span className="text-ink2">{reach.label}</span>
      <NumberField parameter={reach} value={catchMs} onChange={(value) => look({ catchMs: value })} />
      <span className="text-ink2">{delay.label}</span>
      <NumberField parameter={delay} value={delayMs} onChange={(value) => look({ delayMs: value })} />
    </span>
  );
}
