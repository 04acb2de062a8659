/** The effects of a bus in order, as tabs: one opens under the ribbon. */
import type { Effect } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Context, Menu } from "../../design/Menu";
import { newest } from "./newest";

export function Chain({ bus, chain, name }: { bus: string; chain: Effect[]; name: string }) {
  const effects = useAbout()?.effects ?? [];
  const open = useView((s) => s.effect);
  const { look } = useView.getState();
  const label = (kind: string) => effects.find((one) => one.kind === kind)?.label ?? kind;

  async function add(kind: string) {
    const before = new Set(chain.map(({ id }) => id));
    if (!(await edit({ type: "add_effect", bus, kind }))) return;
    const made = newest(bus, before);
    if (made) look({ effect: { bus, effect: made } });
  }
  const items = (effect: Effect, place: number) => () => [
    { label: effect.on ? "Switch off" : "Switch on", onSelect: () => void edit({ type: "set_effect", bus, effect: effect.id, on: !effect.on }) },
    { label: "Move to the left", disabled: place === 0, onSelect: () => void edit({ type: "move_effect", bus, effect: effect.id, to: place - 1 }) },
    { label: "Move to the right", disabled: place === chain.length - 1, onSelect: () => void edit({ type: "move_effect", bus, effect: effect.id, to: place + 1 }) },
    null,
    { label: "Remove", onSelect: () => void edit({ type: "remove_effect", bus, effect: effect.id }) },
  ];

  return (
    <div role="group" aria-label={`Effects of ${name}`} className="flex flex-wrap items-center gap-1.5">
      {chain.map((effect, place) => {
        const chosen = open?.bus === bus && open.effect === effect.id;
        return (
          <Context key={effect.id} label={`${label(effect.kind)}: what to do`} items={items(effect, place)}>
            <button
              type="button"
              aria-expanded={chosen}
              data-effect={effect.id}
              draggable
              onDragStart={(event) => event.dataTransfer.setData("text/effect", `${bus}/${effect.id}`)}
              onDragOver={(event) => event.dataTransfer.types.includes("text/effect") && event.preventDefault()}
              onDrop={(event) => {
                const [from, moved] = event.dataTransfer.getData("text/effect").split("/");
                if (!from || !moved || moved === effect.id) return;
                event.preventDefault();
                void edit({ type: "move_effect", bus: from, effect: moved, to: place, to_bus: bus });
              }}
              onClick={() => look({ effect: chosen ? null : { bus, effect: effect.id } })}
              className={`rounded-[3px] border-[1.3px] px-2 py-[2px] text-[12px] ${chosen ? "border-ink bg-ink text-card" : "border-ink bg-card hover:bg-well"} ${effect.on ? "" : "border-dashed text-ink2 line-through"}`}
            >
              {label(effect.kind)}
            </button>
          </Context>
        );
      })}
      <Menu
        label={`Add an effect to ${name}`}
        trigger={
          <button type="button" aria-label={`Add an effect to ${name}`} className="rounded-[3px] border-[1.3px] border-rule bg-card px-2 py-[2px] text-[12px] text-ink2 hover:bg-well">
            +
          </button>
        }
        items={effects.map((one) => ({ label: one.label, onSelect: () => void add(one.kind) }))}
      />
    </div>
  );
}
