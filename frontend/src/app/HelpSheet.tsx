import { Sheet } from "../design/Sheet";
import { useKeyNames } from "../pads/keys";
import { BINDINGS } from "./keys";
import { useView } from "./view";

export function HelpSheet() {
  const open = useView((s) => s.help);
  const names = useKeyNames((s) => s.names);
  return (
    <Sheet open={open} onOpenChange={(help) => useView.getState().look({ help })} title="Keys and hands">
      <div className="grid grid-cols-[230px_1fr] gap-6">
        <div>
          <p className="mb-2 text-[12.5px] text-ink2">
            These keys play the page of pads in view, by their place on the keyboard:
          </p>
          <div className="grid grid-cols-4 gap-1.5">
            {names.map((name, i) => (
              <kbd
                key={i}
                className="rounded-t-[2px] rounded-b-[10px] border-[1.3px] border-ink px-2 py-2 text-center font-body text-[12px]"
              >
                {name}
              </kbd>
            ))}
          </div>
          <p className="mt-3 text-[12.5px] text-ink2">
            Any number can be dragged up and down, typed over, wheeled, or stepped with the arrow keys; a double click
            sets it back. On a wave the wheel zooms, with Shift it moves.
          </p>
        </div>
        <table className="self-start text-[12.5px]">
          <tbody>
            {BINDINGS.map((binding) => (
              <tr key={binding.keys} className="border-b border-rule align-top">
                <td className="py-[3px] pr-3 whitespace-nowrap">
                  <kbd className="font-body font-semibold">{binding.keys}</kbd>
                </td>
                <td className="py-[3px]">
                  {binding.does}
                  {binding.where ? <span className="text-ink2"> ({binding.where.join(", ")})</span> : null}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Sheet>
  );
}
