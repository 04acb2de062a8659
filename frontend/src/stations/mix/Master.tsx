/** Where everything comes together: the master's chain, level and loudness. */
import { useEffect, useRef } from "react";

import type { Pocket } from "../../api/types";
import { useParameter } from "../../app/about";
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { useSettled } from "../../app/settling";
import { useView } from "../../app/view";
import { loopPlayer, useLoop } from "../../audio/loop";
import { fixed } from "../../design/format";
import { Pair } from "../../design/Pair";
import { BusMeter } from "./BusMeter";
import { BusWave } from "./BusWave";
import { Chain } from "./Chain";
import { EffectPanel } from "./EffectPanel";
import { padsOn } from "./routing";

export function Master({ pocket }: { pocket: Pocket }) {
  const level = useParameter("pocket", "level");
  const open = useView((s) => s.effect);
  const settled = useSettled((s) => s.settled);
  const effect = open?.bus === "master" ? pocket.chain.find(({ id }) => id === open.effect) : undefined;
  const straight = padsOn(
    usePocket((s) => s.open?.sounds ?? null),
    "master",
  ).length;
  const set = (value: number, gesture: string) => void edit({ type: "set_pocket", level: value }, gesture);
  return (
    <section
      aria-label="Master"
      data-bus="master"
      className="rounded-[4px] border-[1.5px] border-ink bg-card px-3 py-1.5"
    >
      <div className="grid grid-cols-[176px_minmax(0,1fr)_196px] gap-3">
        <div className="flex min-w-0 flex-col gap-1">
          <span className="title text-[15px]">Master</span>
          <span className="text-[11.5px] text-ink2">{straight ? `${straight} pads straight to it` : "the buses"}</span>
          <div className="grid grid-cols-[30px_1fr_58px] items-center gap-1.5 text-[12px]">
            <span className="text-[11.5px] text-ink2">level</span>
            <Pair parameter={level} label="Level of the master" value={pocket.level} onChange={set} />
          </div>
        </div>
        <div className="flex min-w-0 flex-col justify-between gap-1.5">
          <BusWave bus="master" height={58} />
          <Chain bus="master" chain={pocket.chain} name="the master" />
        </div>
        <div className="flex min-w-0 flex-col gap-1 text-[12px]">
          <BusMeter bus="master" name="the master" />
          <span className="text-right font-semibold" data-testid="loudness">
            {settled && settled.lufs !== null ? `${fixed(settled.lufs, 1)} LUFS` : "–"}
          </span>
          <ShortTerm />
          <span className="text-right text-[11.5px] text-ink2">
            {settled && settled.true_peak_db !== null ? `true peak ${fixed(settled.true_peak_db, 1)} dBTP` : ""}
          </span>
        </div>
      </div>
      {effect ? <EffectPanel pocket={pocket} bus="master" effect={effect} /> : null}
    </section>
  );
}

/** Short-term loudness where the playhead is; at rest, the most that it comes to. Written straight into the page, as it plays. */
function ShortTerm() {
  const text = useRef<HTMLSpanElement>(null);
  const playing = useLoop((s) => s.playing);
  const settled = useSettled((s) => s.settled);
  useEffect(() => {
    const short = settled?.short ?? [];
    const show = () => {
      const loop = loopPlayer.loop();
      const at = playing && loop ? Math.floor((loopPlayer.place() / loop.length) * short.length) : -1;
      const value = at < 0 ? Math.max(...short) : (short[Math.min(at, short.length - 1)] ?? -120);
      const told = !short.length || value <= -120 ? "" : `short-term ${at < 0 ? "up to " : ""}${fixed(value, 1)} LUFS`;
      if (text.current && text.current.textContent !== told) text.current.textContent = told;
    };
    show();
    if (!playing) return;
    const timer = window.setInterval(show, 100);
    return () => window.clearInterval(timer);
  }, [playing, settled]);
  return (
    <span
      ref={text}
      data-testid="short-term"
      title="Of the last 3 s, as EBU Tech 3341 has it"
      className="min-h-[1.4em] text-right text-[11.5px] text-ink2"
    />
  );
}
