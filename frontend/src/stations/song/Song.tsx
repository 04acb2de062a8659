/** Song: the tune written like a page of text. */
import { useState } from "react";

import type { Pocket } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { beatsOf } from "../../app/playing";
import { usePocket } from "../../app/pocket";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { clock } from "../../design/format";
import { Menu } from "../../design/Menu";
import { controlNamed, controlsOf, owners } from "./controls";
import { Paragraph } from "./Paragraph";

const TITLES = ["Opening", "First part", "Second part", "Break", "Close"];

export function Song() {
  const pocket = usePocket((s) => s.open?.pocket);
  const about = useAbout();
  const pattern = useView((s) => s.pattern);
  const shown = useView((s) => s.thread);
  const turns = usePocket((s) => s.open?.sounds?.song) ?? [];
  if (!pocket || !about) return null;
  const control = controlNamed(pocket, about, shown);
  const thread = Object.values(pocket.threads).find((one) => one.control === shown) ?? null;
  const beats = beatsOf(turns);
  const add = () =>
    void edit({
      type: "add_section",
      name: TITLES[pocket.song.length] ?? `Part ${pocket.song.length + 1}`,
      patterns: pattern && pocket.patterns[pattern] ? [pattern] : [],
    });
  return (
    <div className="flex min-h-0 grow flex-col px-4 pt-2.5 pb-2">
      <div className="mb-2 flex items-center gap-1.5 text-[12px]">
        <Button tone="solid" hint="Eight bars of the pattern in view, at the end of the song" onClick={add}>
          + Section
        </Button>
        <Threads pocket={pocket} />
        {thread ? (
          <Button
            hint="Take all its points away"
            onClick={() => void edit({ type: "set_thread", control: thread.control, points: [] })}
          >
            Clear thread
          </Button>
        ) : null}
        <span className="grow" />
        {pocket.song.length ? <span className="truncate text-ink2">Click a bar: it plays from there.</span> : null}
        <span className="ml-3 whitespace-nowrap text-ink2">
          {beats
            ? `${turns.reduce((sum, { section }) => sum + (pocket.sections[section]?.bars ?? 0), 0)} bars, ${clock((beats * 60) / pocket.tempo)}`
            : ""}
        </span>
      </div>
      <div className="thin-scroll flex min-h-0 grow flex-col gap-3 overflow-auto pr-1" tabIndex={-1}>
        {pocket.song.map((key, place) => {
          const section = pocket.sections[key];
          return section ? (
            <Paragraph
              key={key}
              pocket={pocket}
              section={section}
              turns={turns.filter((turn) => turn.section === key)}
              place={place}
              control={control}
              thread={thread}
            />
          ) : null;
        })}
        {pocket.song.length ? null : (
          <div className="rounded-[4px] border border-dashed border-ink2 p-6 text-ink2">
            The song is empty. A section plays one or several patterns for so many bars: add one, choose its patterns,
            and go on down the page.
          </div>
        )}
      </div>
    </div>
  );
}

/** Which control's thread lies over the page. */
function Threads({ pocket }: { pocket: Pocket }) {
  const about = useAbout();
  const shown = useView((s) => s.thread);
  const [owner, setOwner] = useState<string | null>(null);
  if (!about) return null;
  const { look } = useView.getState();
  const all = owners(pocket);
  const own = all.find(({ key }) => key === (owner ?? shown?.split(".")[0])) ?? all[0];
  const named = Object.values(pocket.threads).flatMap((thread) => {
    const control = controlNamed(pocket, about, thread.control);
    return control ? [{ key: thread.control, label: `${control.owner}: ${control.label}` }] : [];
  });
  const control = controlNamed(pocket, about, shown);
  return (
    <>
      <Menu
        label="Thread"
        trigger={
          <Button tone={control ? "play" : "plain"} hint="One control that moves along the song, drawn over the page">
            {control ? `Thread: ${control.owner}, ${control.label}` : "Thread"} ▾
          </Button>
        }
        items={[
          { label: "None", checked: !control, onSelect: () => look({ thread: null }) },
          ...(named.length ? [null] : []),
          ...named.map(({ key, label }) => ({ label, checked: key === shown, onSelect: () => look({ thread: key }) })),
        ]}
      />
      <Menu
        label="Whose control"
        trigger={<Button hint="The bus whose control moves">{own?.name ?? "Master"} ▾</Button>}
        items={all.map(({ key, name }) => ({ label: name, checked: key === own?.key, onSelect: () => setOwner(key) }))}
      />
      <Menu
        label="Control"
        trigger={<Button hint="The control that moves">New thread ▾</Button>}
        items={
          own
            ? controlsOf(pocket, about, own.key).map(({ key, label }) => ({
                label,
                checked: key === shown,
                onSelect: () => look({ thread: key }),
              }))
            : []
        }
      />
    </>
  );
}
