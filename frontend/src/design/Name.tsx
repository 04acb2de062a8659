/** A name that is shortened in its middle where there is no room for it, and whole on hover: what tells two of them apart is
 * mostly at the end. */

/** Letters at the end that stay in sight. */
const TAIL = 5;
/** Shorter ones are shortened at their end, if at all. */
const SHORT = 9;

export function Name({ text, className = "" }: { text: string; className?: string }) {
  const split = text.length > SHORT ? text.length - TAIL : text.length;
  return (
    <span title={text} className={`flex min-w-0 ${className}`}>
      <span className="truncate whitespace-pre">{text.slice(0, split)}</span>
      {split < text.length ? <span className="shrink-0 whitespace-pre">{text.slice(split)}</span> : null}
    </span>
  );
}
