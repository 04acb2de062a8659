/** What is on or off of a pad, and what it belongs to: choke group, bus, role. */
import type { FullSound, Pad, Pocket, Role } from "../api/types";
import { edit } from "../app/edits";
import { Button } from "../design/Button";
import { Menu } from "../design/Menu";
import { ROLE_NAMES, ROLES } from "../design/roles";
import { Toggle } from "../design/Toggle";

export type PadChange = (changes: {
  sound?: Record<string, number | boolean | string>;
  role?: Role;
  choke?: number;
  choke_by_itself?: boolean;
  name?: string;
  bus?: string | null;
}) => void;

/** None, all that are in use, and the next one that is not. */
function groupsIn(pocket: Pocket): number[] {
  const used = new Set(Object.values(pocket.pads).map((pad) => pad.choke));
  let free = 1;
  while (used.has(free)) free += 1;
  return [...new Set([0, ...used, free])].sort((a, b) => a - b);
}

interface Props {
  pad: Pad;
  sound: FullSound;
  pocket: Pocket;
  /** Where its sound goes as things are. */
  bus: string | null | undefined;
  change: PadChange;
}

export function PadSwitches({ pad, sound, pocket, bus, change }: Props) {
  return (
    <div className="mt-1.5 flex flex-wrap gap-1.5">
      <Toggle
        on={sound.reverse}
        onChange={(reverse) => change({ sound: { reverse } })}
        hint="Play it from its end to its start"
      >
        Reverse
      </Toggle>
      <Toggle
        on={sound.play === "held"}
        onChange={(held) => change({ sound: { play: held ? "held" : "one-shot" } })}
        hint="On: sounds only while the pad is held down. Off: one-shot, plays to its end"
      >
        Gate
      </Toggle>
      <Toggle
        on={!pad.choke}
        onChange={(ring) => change(ring ? { choke: 0 } : { choke_by_itself: true })}
        hint="Nothing cuts it off, and it cuts nothing off"
      >
        Let ring
      </Toggle>
      <Menu
        label="Choke group"
        trigger={
          <Button hint="Pads of one group cut each other off">{pad.choke ? `Choke ${pad.choke}` : "No choke"}</Button>
        }
        items={[
          {
            label: "Its record's own, or none where it should ring",
            onSelect: () => change({ choke_by_itself: true }),
          },
          {
            label: "The same for all pads",
            onSelect: () =>
              void edit({ type: "set_pads", pads: Object.keys(pocket.pads).map(Number), choke_by_itself: true }),
          },
          null,
          ...groupsIn(pocket).map((group) => ({
            label: group ? `Group ${group}` : "None: rings on",
            checked: pad.choke === group,
            onSelect: () => change({ choke: group }),
          })),
        ]}
      />
      {Object.keys(pocket.buses).length ? (
        <Menu
          label="Bus"
          trigger={<Button hint="Where its sound goes in Mix">{pocket.buses[bus ?? ""]?.name ?? "Master"} ▾</Button>}
          items={[
            { label: "As its role says", checked: pad.bus === null, onSelect: () => change({ bus: null }) },
            null,
            ...Object.values(pocket.buses)
              .filter((bus) => !bus.is_return)
              .map((bus) => ({
                label: bus.name,
                checked: pad.bus === bus.id,
                onSelect: () => change({ bus: bus.id }),
              })),
            {
              label: "Straight to the master",
              checked: pad.bus === "master",
              onSelect: () => change({ bus: "master" }),
            },
          ]}
        />
      ) : null}
      <Menu
        label="Role"
        trigger={
          <Button hint="What kind of sound it is">
            {pad.role ? (
              <>
                <span aria-hidden style={{ color: ROLES[pad.role].color }}>
                  {ROLES[pad.role].glyph}
                </span>
                {ROLES[pad.role].label}
              </>
            ) : (
              "No role"
            )}
          </Button>
        }
        items={ROLE_NAMES.map((role) => ({
          label: (
            <>
              <span aria-hidden className="mr-1.5 inline-block w-3">
                {ROLES[role].glyph}
              </span>
              {ROLES[role].label}
            </>
          ),
          checked: pad.role === role,
          onSelect: () => change({ role }),
        }))}
      />
    </div>
  );
}
