/** What can be automated, with names: the same controls that the core knows. */
import type { About, Parameter, Pocket } from "../../api/types";

export interface Control {
  key: string;
  label: string;
  parameter: Parameter;
  /** What it stands at without a thread. */
  value: number;
}

export interface Owner {
  key: string;
  name: string;
}

export function owners(pocket: Pocket): Owner[] {
  return [...Object.values(pocket.buses).map(({ id, name }) => ({ key: id, name })), { key: "master", name: "Master" }];
}

export function controlsOf(pocket: Pocket, about: About, owner: string): Control[] {
  const bus = pocket.buses[owner];
  const out: Control[] = [];
  const number = (group: string, name: string) => about.parameters[group]?.find((p) => p.name === name);
  for (const name of bus ? (["level", "pan", "amount"] as const) : (["level"] as const)) {
    const parameter = number("bus", name);
    if (parameter)
      out.push({ key: `${owner}.${name}`, label: parameter.label, parameter, value: bus ? bus[name] : pocket.level });
  }
  const send = number("send", "level");
  for (const one of bus?.sends ?? [])
    if (send)
      out.push({
        key: `${owner}.send.${one.to}`,
        label: `Send to ${pocket.buses[one.to]?.name ?? "a return"}`,
        parameter: send,
        value: one.level,
      });
  for (const effect of bus?.chain ?? pocket.chain) {
    const info = about.effects.find(({ kind }) => kind === effect.kind);
    for (const setting of info?.settings ?? [])
      if (setting.number)
        out.push({
          key: `${owner}.${effect.id}.${setting.name}`,
          label: `${info?.label}: ${setting.label}`,
          parameter: setting.number,
          value: Number(effect.settings[setting.name] ?? setting.default),
        });
  }
  return out;
}

export function controlNamed(pocket: Pocket, about: About, key: string | null): (Control & { owner: string }) | null {
  const owner = owners(pocket).find((one) => one.key === key?.split(".")[0]);
  const found = owner && controlsOf(pocket, about, owner.key).find((one) => one.key === key);
  return found && owner ? { ...found, owner: owner.name } : null;
}
