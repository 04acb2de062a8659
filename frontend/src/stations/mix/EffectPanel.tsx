/** The chosen effect, under its ribbon: its settings, what it listens to, and the picture of what it does. */
import type { Effect, Pocket } from "../../api/types";
import { useAbout } from "../../app/about";
import { edit } from "../../app/edits";
import { useView } from "../../app/view";
import { Button } from "../../design/Button";
import { Menu } from "../../design/Menu";
import { Toggle } from "../../design/Toggle";
import { EffectPicture } from "./EffectPicture";
import { SettingRow } from "../../design/SettingRow";

export function EffectPanel({ pocket, bus, effect }: { pocket: Pocket; bus: string; effect: Effect }) {
  const info = useAbout()?.effects.find((one) => one.kind === effect.kind);
  if (!info)
    return (
      <p className="p-2 text-ink2">
        This effect was made by a later version of the program. It is kept, and not heard.
      </p>
    );
  const moving = new Set(Object.values(pocket.threads).map(({ control }) => control));
  const set = (name: string) => (value: number | boolean | string, gesture: string | null) =>
    void edit({ type: "set_effect", bus, effect: effect.id, settings: { [name]: value } }, gesture);
  const synced = effect.settings.synced ?? info.settings.find(({ name }) => name === "synced")?.default;
  const hidden = info.kind === "echo" ? (synced ? "ms" : "beats") : null;

  return (
    <section aria-label={info.label} className="mt-2 border-t border-rule pt-2" data-testid="effect-panel">
      <div className="mb-1.5 flex items-center gap-2">
        <h3 className="title text-[14.5px]">{info.label}</h3>
        {info.keyed && !effect.inside ? <Key pocket={pocket} bus={bus} effect={effect} /> : null}
        <span className="grow" />
        <Toggle
          on={effect.on}
          onChange={(on) => void edit({ type: "set_effect", bus, effect: effect.id, on })}
          hint="Off: the sound goes past it"
        >
          {effect.on ? "On" : "Off"}
        </Toggle>
        <Button
          onClick={() => {
            useView.getState().look({ effect: null });
            void edit({ type: "remove_effect", bus, effect: effect.id });
          }}
        >
          Remove
        </Button>
        <Button tone="quiet" aria-label="Fold the effect" onClick={() => useView.getState().look({ effect: null })}>
          ×
        </Button>
      </div>
      <div className="grid grid-cols-[minmax(0,1fr)_230px] gap-4">
        <div className="columns-2 gap-x-6 [&>*]:mb-0.5 [&>*]:break-inside-avoid">
          {info.settings
            .filter(({ name }) => name !== hidden)
            .map((setting) => (
              <SettingRow
                key={setting.name}
                setting={setting}
                value={effect.settings[setting.name]}
                onChange={set(setting.name)}
                moves={moving.has(`${bus}.${effect.id}.${setting.name}`)}
              />
            ))}
        </div>
        <EffectPicture kind={effect.kind} settings={effect.settings} tempo={pocket.tempo} />
      </div>
    </section>
  );
}

/** What the effect listens to: a bus, or a pad. */
function Key({ pocket, bus, effect }: { pocket: Pocket; bus: string; effect: Effect }) {
  const pads = Object.entries(pocket.pads).sort(([a], [b]) => Number(a) - Number(b));
  const hears = effect.listens_to;
  const padName = hears?.startsWith("pad:") ? pocket.pads[hears.slice(4)]?.called : undefined;
  const name =
    hears === null
      ? effect.kind === "duck"
        ? "nothing yet"
        : "its own sound"
      : (padName ?? pocket.buses[hears]?.name ?? "what is gone");
  const choose = (listens_to: string | null) => void edit({ type: "set_effect", bus, effect: effect.id, listens_to });
  return (
    <span className="flex items-center gap-1.5 text-[12px]">
      listens to
      <Menu
        label="Listens to"
        trigger={<Button tone={hears === null && effect.kind === "duck" ? "solid" : "plain"}>{name} ▾</Button>}
        items={[
          {
            label: effect.kind === "duck" ? "Nothing" : "Its own sound",
            checked: hears === null,
            onSelect: () => choose(null),
          },
          null,
          ...Object.values(pocket.buses)
            .filter(({ id }) => id !== bus)
            .map((other) => ({ label: other.name, checked: hears === other.id, onSelect: () => choose(other.id) })),
          null,
          ...pads.map(([index, pad]) => ({
            label: pad.called,
            checked: hears === `pad:${index}`,
            onSelect: () => choose(`pad:${index}`),
          })),
        ]}
      />
    </span>
  );
}
