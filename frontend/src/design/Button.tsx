import type { ButtonHTMLAttributes, ReactNode } from "react";

import { Hint } from "./Hint";

type Tone = "plain" | "solid" | "go" | "play" | "quiet";

const TONES: Record<Tone, string> = {
  plain: "border-ink bg-card text-ink hover:bg-well",
  solid: "border-ink bg-ink text-card hover:bg-ink2",
  go: "border-snare bg-snare text-card hover:brightness-90",
  play: "border-now bg-now text-card hover:brightness-90",
  quiet: "border-transparent bg-transparent text-ink hover:bg-well",
};

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  tone?: Tone;
  /** What it does, shown on hover together with its key. */
  hint?: ReactNode;
  keys?: string;
}

export function Button({ tone = "plain", hint, keys, className = "", children, ...rest }: Props) {
  const button = (
    <button
      type="button"
      className={`inline-flex shrink-0 items-center justify-center gap-1.5 rounded-[3px] border-[1.3px] px-2.5 py-[3px] text-[12px] whitespace-nowrap disabled:pointer-events-none disabled:opacity-45 ${TONES[tone]} ${className}`}
      {...rest}
    >
      {children}
    </button>
  );
  return hint || keys ? (
    <Hint text={hint} keys={keys}>
      {button}
    </Hint>
  ) : (
    button
  );
}
