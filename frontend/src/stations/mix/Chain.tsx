/** The effects of a bus in order, as tabs: one opens under the ribbon. What lies in an echo's own loop hangs behind it. */
import type { Effect, EffectInfo } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Menu } from "../../design/Menu";
import { EffectTab } from "./EffectTab";
import { newest } from "./newest";

export function Chain({ bus, chain, name }: { bus: string; chain: Effect[]; name: string }) {
  const effects = useAbout()?.effects ?? [];
  const outer = chain.filter(({ inside }) => !inside);
  const about = (effect: Effect) => effects.find((one) => one.kind === effect.kind);

  return (
    <div role="group" aria-label={`Effects of ${name}`} className="flex flex-wrap items-center gap-1.5">
      {outer.map((effect) => {
        const info = about(effect);
        const tab = (
          <EffectTab
            key={effect.id}
            bus={bus}
            chain={chain}
            beside={outer}
            effect={effect}
            label={info?.label ?? effect.kind}
          />
        );
        if (!info?.holds) return tab;
        const held = chain.filter(({ inside }) => inside === effect.id);
        return (
          <span key={effect.id} className="flex flex-wrap items-center gap-1">
            {tab}
            <span
              role="group"
              aria-label={`In the loop of the ${info.label.toLowerCase()} of ${name}`}
              className="flex flex-wrap items-center gap-1 rounded-r-[9px] border-[1.3px] border-l-0 border-dashed border-rule py-[2px] pr-1.5 pl-1"
            >
              <span
                aria-hidden
                className="text-[12px] text-ink2"
                title="Every round of the echo goes through what lies here"
              >
                ↻
              </span>
              {held.map((one) => (
                <EffectTab
                  key={one.id}
                  bus={bus}
                  chain={chain}
                  beside={held}
                  effect={one}
                  label={about(one)?.label ?? one.kind}
                />
              ))}
              <Add
                bus={bus}
                chain={chain}
                inside={effect.id}
                label={`Add an effect to the loop of the ${info.label.toLowerCase()} of ${name}`}
                effects={effects.filter((one) => !one.holds && one.kind !== "duck")}
              />
            </span>
          </span>
        );
      })}
      <Add bus={bus} chain={chain} label={`Add an effect to ${name}`} effects={effects} />
    </div>
  );
}

function Add({
  bus,
  chain,
  inside,
  label,
  effects,
}: {
  bus: string;
  chain: Effect[];
  inside?: string;
  label: string;
  effects: EffectInfo[];
}) {
  async function add(kind: string) {
    const before = new Set(chain.map(({ id }) => id));
    if (!(await edit({ type: "add_effect", bus, kind, inside: inside ?? null }))) return;
    const made = newest(bus, before);
    if (made) useView.getState().look({ effect: { bus, effect: made } });
  }
  return (
    <Menu
      label={label}
      trigger={
        <button
          type="button"
          aria-label={label}
          title={inside ? "Add an effect to the echo's loop" : "Add an effect"}
          onDragOver={(event) => event.dataTransfer.types.includes("text/effect") && event.preventDefault()}
          onDrop={(event) => {
            const [from, moved] = event.dataTransfer.getData("text/effect").split("/");
            if (!from || !moved || moved === inside) return;
            event.preventDefault();
            const end = chain.filter(({ id }) => id !== moved).length;
            void edit({ type: "move_effect", bus: from, effect: moved, to: end, to_bus: bus, inside: inside ?? null });
          }}
          className={`rounded-[3px] border-[1.3px] border-rule bg-card text-[12px] text-ink2 hover:bg-well ${inside ? "px-1.5" : "px-2 py-[2px]"}`}
        >
          +
        </button>
      }
      items={effects.map((one) => ({ label: one.label, onSelect: () => void add(one.kind) }))}
    />
  );
}
