/** Chop: cuts, slices, and the way to the pads. */
import { Tabs } from "radix-ui";

import type { Source } from "../../api/types";
import { chooseSlice } from "../../app/actions";
import { usePocket } from "../../app/pocket";
import { type ChopPanel, useView } from "../../app/view";
import { useWaveHeight } from "../../wave/useCanvas";
import { WaveTools } from "../../wave/WaveTools";
import { Overview } from "../../wave/Overview";
import { WaveView } from "../../wave/WaveView";
import { ByHand } from "./ByHand";
import { Policies } from "./Policies";
import { Proof } from "./Proof";
import { Search } from "./Search";
import { FoundActions, SliceActions, TrayActions } from "./SliceActions";
import { SliceTable } from "./SliceTable";
import { Tray } from "./Tray";

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
      <WaveView source={source} height={useWaveHeight(184)} cutting onSlice={chooseSlice.bind(null, source)} />
      <WaveTools source={source} rate={rate}>
        <ByHand chosen={chosen} />
      </WaveTools>
      <Policies source={source} />
      <Tabs.Root
        value={panel}
        onValueChange={(value) => useView.getState().look({ chopPanel: value as ChopPanel })}
        className="flex min-h-0 grow flex-col gap-1.5"
      >
        <div className="flex flex-wrap items-center gap-x-2 gap-y-1 border-b border-rule">
          <Tabs.List aria-label="Slices, search, tray, proof" className="flex gap-3">
            {panels.map(([value, label]) => (
              <Tabs.Trigger
                key={value}
                value={value}
                className="title -mb-px border-b-2 border-transparent pb-0.5 text-[13.5px] whitespace-nowrap text-ink2 data-[state=active]:border-now data-[state=active]:text-ink"
              >
                {label}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <span className="ml-auto flex items-center gap-1.5 pb-1">
            {panel === "search" ? (
              <FoundActions />
            ) : panel === "tray" ? (
              <TrayActions />
            ) : (
              <SliceActions source={source} chosen={chosen} />
            )}
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
