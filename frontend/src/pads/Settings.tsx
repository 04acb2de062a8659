/** Rows of settings out of the core's table, in the order given. */
import type { FullSound } from "../api/types";
import { useAbout } from "../app/about";
import { SettingRow } from "../design/SettingRow";
import type { Change } from "../app/shaping";

export function Settings({
  group,
  names,
  sound,
  change,
}: {
  group: string;
  names: string[];
  sound: FullSound;
  change: Change;
}) {
  const table = useAbout()?.settings[`sound_${group}`] ?? [];
  return names.map((name) => {
    const setting = table.find((one) => one.name === name);
    return setting ? (
      <SettingRow
        key={name}
        setting={setting}
        value={sound[name as keyof FullSound] as number}
        onChange={(value, gesture) => change({ [name]: value }, gesture)}
      />
    ) : null;
  });
}

/** A few choices side by side, one of them pressed. */
export function Choices({
  group,
  name,
  sound,
  change,
}: {
  group: string;
  name: string;
  sound: FullSound;
  change: Change;
}) {
  const setting = useAbout()?.settings[`sound_${group}`]?.find((one) => one.name === name);
  if (!setting) return null;
  return (
    <span role="radiogroup" aria-label={setting.label} title={setting.help} className="inline-flex flex-wrap gap-1">
      {(setting.options ?? []).map((option) => {
        const on = sound[name as keyof FullSound] === option.value;
        return (
          <button
            key={option.value}
            type="button"
            role="radio"
            aria-checked={on}
            onClick={() => change({ [name]: option.value })}
            className={`rounded-[3px] border-[1.3px] border-ink px-2 py-[2px] text-[12px] ${on ? "bg-ink text-card" : "bg-card hover:bg-well"}`}
          >
            {option.label}
          </button>
        );
      })}
    </span>
  );
}
