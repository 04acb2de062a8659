/** One effect in a chain: a tab that opens it, can be dragged, and says in its menu what to do with it. */
import type { Effect } from "../../api/types";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Context } from "../../design/Menu";

/** beside: the effects among which it can move, in their order. */
export function EffectTab({
  bus,
  chain,
  beside,
  effect,
  label,
}: {
  bus: string;
  chain: Effect[];
  beside: Effect[];
  effect: Effect;
  label: string;
}) {
  const open = useView((s) => s.effect);
  const { look } = useView.getState();
  const chosen = open?.bus === bus && open.effect === effect.id;
  const place = beside.indexOf(effect);
  const at = (other: Effect | undefined) => chain.findIndex(({ id }) => id === other?.id);
  const move = (to: number) =>
    void edit({ type: "move_effect", bus, effect: effect.id, to, inside: effect.inside ?? null });
  const items = () => [
    {
      label: effect.on ? "Switch off" : "Switch on",
      onSelect: () => void edit({ type: "set_effect", bus, effect: effect.id, on: !effect.on }),
    },
    { label: "Move to the left", disabled: place === 0, onSelect: () => move(at(beside[place - 1])) },
    { label: "Move to the right", disabled: place === beside.length - 1, onSelect: () => move(at(beside[place + 1])) },
    ...(effect.inside
      ? [
          {
            label: "Take out of the loop",
            onSelect: () =>
              void edit({ type: "move_effect", bus, effect: effect.id, to: chain.length - 1, inside: null }),
          },
        ]
      : []),
    null,
    { label: "Remove", onSelect: () => void edit({ type: "remove_effect", bus, effect: effect.id }) },
  ];

  return (
    <Context label={`${label}: what to do`} items={items}>
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
          const without = chain.filter(({ id }) => id !== moved).findIndex(({ id }) => id === effect.id);
          const later = from === bus && chain.findIndex(({ id }) => id === moved) < at(effect);
          void edit({
            type: "move_effect",
            bus: from,
            effect: moved,
            to: without + (later ? 1 : 0),
            to_bus: bus,
            inside: effect.inside ?? null,
          });
        }}
        onClick={() => look({ effect: chosen ? null : { bus, effect: effect.id } })}
        className={`rounded-[3px] border-[1.3px] px-2 py-[2px] text-[12px] ${chosen ? "border-ink bg-ink text-card" : "border-ink bg-card hover:bg-well"} ${effect.on ? "" : "border-dashed text-ink2 line-through"}`}
      >
        {label}
      </button>
    </Context>
  );
}
