/** The steps of the pattern along the bottom, whatever station is open; in one line where it is slim. */
import type { Pocket } from "../api/types";
import { lanesOf } from "../stations/rhythm/lanes";
import { PatternGrid } from "../stations/rhythm/PatternGrid";
import { PatternHead } from "../stations/rhythm/PatternMenu";
import { StripFold } from "./folded";
import { useView } from "./view";

/** folds: whether it can be folded and unfolded here. */
export function Strip({ pocket, slim, folds }: { pocket: Pocket; slim: boolean; folds: boolean }) {
  const patternId = useView((s) => s.pattern);
  const pattern = (patternId && pocket.patterns[patternId]) || null;
  const page = useView((s) => s.page);
  const chosen = useView((s) => s.pads);
  const columns = slim ? "grid-cols-[auto_1fr]" : "grid-cols-[clamp(208px,14vw,340px)_1fr]";
  const way = slim ? "items-center" : "flex-col items-start";
  return (
    <footer aria-label="Pattern" className={`col-span-3 grid min-h-0 ${columns} border-t-[1.5px] border-ink bg-card`}>
      <div className={`flex min-w-0 gap-x-4 gap-y-0.5 border-r border-rule px-3 py-2 ${way}`}>
        <PatternHead pocket={pocket} pattern={pattern} />
        {folds ? <StripFold open={!slim} /> : null}
      </div>
      {slim ? (
        <span className="self-center px-4 text-[12px] text-ink2">{pattern ? `${pattern.hits.length} hits` : ""}</span>
      ) : (
        <div className="thin-scroll overflow-auto py-1 pr-3">
          {pattern ? (
            <PatternGrid
              pattern={pattern}
              lanes={lanesOf(pocket, pattern, page, chosen, false)}
              row={23}
              heading={false}
            />
          ) : (
            <p className="p-3 text-ink2">Steps of the pattern appear here.</p>
          )}
        </div>
      )}
    </footer>
  );
}
