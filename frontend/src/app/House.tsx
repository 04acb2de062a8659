/** The house: transport above, finds, the station that is open, pads, and the pattern along the bottom. */
import { Tabs } from "radix-ui";
import { useState } from "react";

import type { About, Pocket } from "../api/types";
import { Toasts } from "../design/Toasts";
import { Finds } from "../finds/Finds";
import { addDropped } from "../finds/importing";
import { Pads } from "../pads/Pads";
import { PAGES } from "../stations/pages";
import { PocketList } from "../transport/PocketList";
import { Transport } from "../transport/Transport";
import { useJobs } from "./events";
import { FoldedFinds, FoldedPads, useFindsShut, useStrip } from "./folded";
import { HelpSheet } from "./HelpSheet";
import { aboutStation, type Station, STATIONS } from "./stations";
import { Strip } from "./Strip";
import { useView } from "./view";

/** Widths of the columns. */
const FOLDED = "40px";
const FINDS = "clamp(208px, 14vw, 340px)";
const PADS = "clamp(272px, 24.4vw, 540px)";
const TAB =
  "border-b-[3px] border-transparent px-[11px] py-[3px] font-medium text-ink2 hover:text-ink " +
  "data-[state=active]:border-now data-[state=active]:font-bold data-[state=active]:text-ink";
const SAYS =
  "pointer-events-none absolute top-1 right-4 left-[472px] z-20 flex " +
  "min-h-[34px] flex-col justify-end [&>*]:pointer-events-auto";
const DROP =
  "pointer-events-none fixed inset-3 z-30 grid place-items-center " +
  "rounded-[8px] border-[3px] border-dashed border-ink bg-paper/85";

export function House({ about, pocket, id }: { about: About; pocket: Pocket; id: string }) {
  const station = useView((s) => s.station);
  const [dropping, setDropping] = useState(false);
  const connected = useJobs((s) => s.connected);
  const wide = aboutStation(station).wide;
  const steps = useStrip();
  const rhythm = station === "rhythm" || wide;
  const slim = rhythm || !steps;
  const findsOpen = useView((s) => s.findsOpen);
  const findsShut = useFindsShut();
  const padsShut = useView((s) => s.padsShut);
  const folded = wide ? !findsOpen : findsShut;
  const fold = (on: boolean) => useView.getState().look(wide ? { findsOpen: !on } : { findsShut: on });
  const files = (event: React.DragEvent) => event.dataTransfer.types.includes("Files");

  return (
    <div
      className="grid h-full min-w-[1000px]"
      style={{
        gridTemplateColumns: `${folded ? FOLDED : FINDS} minmax(0, 1fr) ${padsShut ? FOLDED : PADS}`,
        gridTemplateRows: `52px minmax(0, 1fr) ${slim ? 44 : 132}px`,
      }}
      onDragOver={(event) => {
        if (!files(event)) return;
        event.preventDefault();
        setDropping(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setDropping(false)}
      onDrop={(event) => {
        if (!files(event)) return;
        event.preventDefault();
        setDropping(false);
        void addDropped(id, event.dataTransfer, about);
      }}
    >
      <div className="col-span-3 grid grid-cols-[minmax(0,1fr)]">
        <Transport />
      </div>
      {folded ? <FoldedFinds show={() => fold(false)} /> : <Finds about={about} fold={() => fold(true)} />}
      <Tabs.Root
        asChild
        value={station}
        onValueChange={(value) => useView.getState().look({ station: value as Station })}
        activationMode="manual"
      >
        <main className="flex min-h-0 min-w-0 flex-col">
          <div className="relative flex h-[42px] shrink-0 items-end px-4">
            <Tabs.List aria-label="Stations" className="title flex gap-0.5 text-[15px]">
              {STATIONS.map(({ key, label }, i) => (
                <Tabs.Trigger key={key} value={key} title={`F${i + 1}`} className={TAB}>
                  {label}
                </Tabs.Trigger>
              ))}
            </Tabs.List>
            <div className={SAYS}>
              {connected ? null : (
                <span role="status" className="ml-auto text-[12px]">
                  The server does not answer; trying again. What you made is kept.
                </span>
              )}
              <Toasts />
            </div>
          </div>
          {STATIONS.map(({ key }) => {
            const Page = PAGES[key];
            return (
              <Tabs.Content
                key={key}
                value={key}
                tabIndex={-1}
                className="flex min-h-0 grow flex-col outline-none data-[state=inactive]:hidden"
              >
                <Page pocket={pocket} />
              </Tabs.Content>
            );
          })}
        </main>
      </Tabs.Root>
      {padsShut ? <FoldedPads /> : <Pads />}
      <Strip pocket={pocket} slim={slim} folds={!rhythm} />
      {dropping ? (
        <div className={DROP}>
          <p className="title text-[22px]">Drop to add to the finds</p>
        </div>
      ) : null}
      <HelpSheet />
      <PocketList />
    </div>
  );
}
