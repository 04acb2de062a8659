import { ContextMenu, DropdownMenu } from "radix-ui";
import { type MouseEvent, type ReactElement, type ReactNode, useRef, useState } from "react";

import { byKeys } from "../app/focus";

export interface Item {
  label: ReactNode;
  onSelect: () => void;
  keys?: string;
  disabled?: boolean;
  checked?: boolean;
  /** What it opens takes the focus: the menu's button is not to have it back. */
  focuses?: boolean;
}

const ROW =
  "flex cursor-pointer items-center gap-3 rounded-[2px] px-2 py-1 text-[12.5px] outline-none data-[disabled]:text-ink2 data-[highlighted]:bg-ink data-[highlighted]:text-card";

const BOX =
  "thin-scroll z-50 max-h-[60vh] min-w-40 overflow-auto rounded-[4px] border-[1.3px] border-ink bg-card p-1 shadow-[3px_3px_0_var(--color-well)]";

/** The menu of a thing, where the right button is pressed on it. items: asked for as it opens; none: no menu. */
export function Context({
  label,
  items,
  children,
}: {
  label: string;
  items: (event: MouseEvent) => (Item | null)[];
  children: ReactElement;
}) {
  const [shown, setShown] = useState<(Item | null)[]>([]);
  return (
    <ContextMenu.Root modal={false}>
      <ContextMenu.Trigger
        asChild
        onContextMenu={(event) => {
          const found = items(event);
          // The thing under it may have none of its own: then the one round it has.
          if (found.length) setShown(found);
          else event.preventDefault();
          event.stopPropagation();
        }}
      >
        {children}
      </ContextMenu.Trigger>
      <ContextMenu.Portal>
        <ContextMenu.Content
          aria-label={label}
          collisionPadding={8}
          className={BOX}
          onCloseAutoFocus={(event) => event.preventDefault()}
        >
          {shown.map((item, i) =>
            item === null ? (
              <ContextMenu.Separator key={i} className="my-1 h-px bg-rule" />
            ) : (
              <ContextMenu.Item key={i} disabled={item.disabled} onSelect={() => item.onSelect()} className={ROW}>
                <Line item={item} />
              </ContextMenu.Item>
            ),
          )}
        </ContextMenu.Content>
      </ContextMenu.Portal>
    </ContextMenu.Root>
  );
}

function Line({ item }: { item: Item }) {
  return (
    <>
      <span className="w-3 text-center">{item.checked ? "✓" : ""}</span>
      <span className="grow">{item.label}</span>
      {item.keys ? <kbd className="font-body text-[11px] opacity-80">{item.keys}</kbd> : null}
    </>
  );
}

/** A menu behind a button. A null among the items draws a line. */
interface Props {
  trigger: ReactElement;
  items: (Item | null)[];
  label: string;
  /** As it opens: to ask for what may have changed. */
  onOpen?: () => void;
}

export function Menu({ trigger, items, label, onOpen }: Props) {
  const taken = useRef(false);
  const opened = useRef(false);
  function onOpenChange(open: boolean) {
    if (!open) return;
    opened.current = byKeys();
    onOpen?.();
  }
  return (
    <DropdownMenu.Root modal={false} onOpenChange={onOpenChange}>
      <DropdownMenu.Trigger asChild>{trigger}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          onCloseAutoFocus={(event) => {
            // Opened by a click, it gives the keyboard back to the house, however it was left.
            if (taken.current || !opened.current) event.preventDefault();
            taken.current = false;
          }}
          className={BOX}
        >
          {items.map((item, i) =>
            item === null ? (
              <DropdownMenu.Separator key={i} className="my-1 h-px bg-rule" />
            ) : (
              <DropdownMenu.Item
                key={i}
                disabled={item.disabled}
                onSelect={() => ((taken.current = item.focuses ?? false), item.onSelect())}
                className={ROW}
              >
                <Line item={item} />
              </DropdownMenu.Item>
            ),
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The same behind three dots. name: what the button is called. */
export function Dots({ name, ...rest }: { name: string; items: (Item | null)[]; label: string }) {
  return (
    <Menu
      {...rest}
      trigger={
        <button type="button" aria-label={name} className="rounded-[2px] px-1 leading-none text-ink2 hover:bg-well">
          ⋯
        </button>
      }
    />
  );
}
