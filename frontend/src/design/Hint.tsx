import { Tooltip } from "radix-ui";
import type { ReactElement, ReactNode } from "react";

/** A few words on hover or focus, with the key that does the same. */
export function Hint({ text, keys, children }: { text?: ReactNode; keys?: string; children: ReactElement }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={5}
          collisionPadding={8}
          className="z-50 max-w-64 rounded-[3px] border border-ink bg-ink px-2 py-1 text-[12px] text-card"
        >
          {text}
          {keys ? <kbd className="ml-2 rounded-[2px] bg-card px-1 font-body text-[11px] text-ink">{keys}</kbd> : null}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
