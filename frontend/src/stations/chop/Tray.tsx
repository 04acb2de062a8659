/** The tray: slices set aside from any find, on their way to a kit. */
import { edit } from "../../app/edits";
import { usePocket } from "../../app/pocket";
import { toast } from "../../app/toasts";
import { voices } from "../../audio/voices";
import { INK, ROLES } from "../../design/roles";
import { Name } from "../../design/Name";
import { MiniWave } from "../../wave/MiniWave";

export function Tray() {
  const pocket = usePocket((s) => s.open?.pocket);
  if (!pocket) return null;
  const { tray, sources } = pocket;
  if (!tray.length)
    return (
      <p className="rounded-[4px] border border-dashed border-ink2 p-4 text-[12.5px] text-ink2">
        The tray is empty. Choose slices of any find and press T; then put them all on pads at once.
      </p>
    );
  return (
    <section aria-label="Tray" className="flex min-h-0 grow flex-col gap-1.5 text-[12px]">
      <div className="flex items-center gap-1.5">
        <span>
          {tray.length} {tray.length === 1 ? "slice" : "slices"} of {new Set(tray.map((held) => held.chop.source)).size}{" "}
          finds
        </span>
      </div>
      <ul className="thin-scroll grid min-h-0 grow auto-rows-min grid-cols-4 gap-1.5 overflow-auto">
        {tray.map((held, i) => {
          const source = sources[held.chop.source];
          if (!source) return null;
          const play = () =>
            voices
              .audition(source.audio, Math.max(0, held.chop.start), Math.min(source.frames, held.chop.end), source.trim)
              .catch((error: Error) =>
                toast({ title: "That slice cannot be played", text: error.message, tone: "error" }),
              );
          return (
            <li
              key={`${held.chop.source}/${held.chop.start}/${held.chop.end}`}
              className="relative rounded-[3px] border border-rule bg-card"
            >
              <button
                type="button"
                aria-label={`Play ${held.called}`}
                className="block w-full px-1.5 py-1 text-left"
                onClick={() => void play()}
              >
                <span className="flex items-center gap-1 pr-4">
                  <span aria-hidden style={{ color: held.role ? ROLES[held.role].color : undefined }}>
                    {held.role ? ROLES[held.role].glyph : "–"}
                  </span>
                  <Name text={held.called} className="font-semibold" />
                </span>
                <MiniWave
                  hash={source.audio}
                  frames={source.frames}
                  start={Math.max(0, held.chop.start)}
                  end={Math.min(source.frames, held.chop.end)}
                  height={18}
                  color={INK}
                  fit
                />
                <span className="block truncate text-[11px] text-ink2">{source.name}</span>
              </button>
              <button
                type="button"
                aria-label={`Take ${held.called} out of the tray`}
                className="absolute top-0 right-0 px-1.5 py-0.5 text-ink2 hover:bg-well"
                onClick={() => void edit({ type: "take_from_tray", places: [i] })}
              >
                ×
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
