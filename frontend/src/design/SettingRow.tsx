/** Anything of a table of settings, as its control: a number, a choice or a switch. */
import type { Parameter, SettingInfo } from "../api/types";
import { Button } from "./Button";
import { Menu } from "./Menu";
import { Pair } from "./Pair";
import { Toggle } from "./Toggle";

export type Value = number | boolean | string;

interface Props {
  setting: SettingInfo;
  value: Value | undefined;
  onChange: (value: Value, gesture: string | null) => void;
  /** Drawn where the setting moves by itself along the song. */
  moves?: boolean;
}

export function SettingRow({ setting, value, onChange, moves = false }: Props) {
  const now = value ?? setting.default;
  if (setting.kind === "number" && setting.number)
    return <NumberRow parameter={setting.number} value={Number(now)} onChange={onChange} moves={moves} />;
  if (setting.kind === "switch")
    return (
      <Row label={setting.label}>
        <Toggle on={Boolean(now)} onChange={(on) => onChange(on, null)} hint={setting.help}>
          {now ? "On" : "Off"}
        </Toggle>
      </Row>
    );
  const options = setting.options ?? [];
  return (
    <Row label={setting.label}>
      <Menu
        label={setting.label}
        trigger={
          <Button hint={setting.help}>{options.find((one) => one.value === now)?.label ?? String(now)} ▾</Button>
        }
        items={options.map((one) => ({
          label: one.label,
          checked: one.value === now,
          onSelect: () => onChange(one.value, null),
        }))}
      />
    </Row>
  );
}

function NumberRow({
  parameter,
  value,
  onChange,
  moves,
}: {
  parameter: Parameter;
  value: number;
  onChange: (value: number, gesture: string) => void;
  moves: boolean;
}) {
  return (
    <div className="grid grid-cols-[92px_1fr_78px] items-center gap-2 text-[12px]">
      <span className="truncate" title={parameter.help}>
        {parameter.label}
        {moves ? <span title="Moves along the song"> ⌇</span> : null}
      </span>
      <Pair parameter={parameter} value={value} onChange={onChange} />
    </div>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div className="grid grid-cols-[92px_1fr] items-center gap-2 text-[12px]">
      <span className="truncate">{label}</span>
      <span>{children}</span>
    </div>
  );
}
