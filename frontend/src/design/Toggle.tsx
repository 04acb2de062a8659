import { Toggle as Radix } from "radix-ui";
import type { ReactNode } from "react";

import { Hint } from "./Hint";

interface Props {
  on: boolean;
  onChange: (on: boolean) => void;
  hint?: ReactNode;
  keys?: string;
  children: ReactNode;
}

export function Toggle({ on, onChange, hint, keys, children }: Props) {
  const toggle = (
    <Radix.Root
      pressed={on}
      onPressedChange={onChange}
      // By what is said to everyone: a hint laid round it has a state of its own.
      className="inline-flex shrink-0 items-center rounded-[3px] border-[1.3px] border-ink bg-card px-2.5 py-[3px] text-[12px] whitespace-nowrap hover:bg-well aria-pressed:bg-ink aria-pressed:text-card"
    >
      {children}
    </Radix.Root>
  );
  return hint || keys ? (
    <Hint text={hint} keys={keys}>
      {toggle}
    </Hint>
  ) : (
    toggle
  );
}
