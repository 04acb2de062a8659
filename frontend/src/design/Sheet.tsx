import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

/** A sheet over the page, for reading; work itself stays in place. */
export function Sheet({
  open,
  onOpenChange,
  title,
  children,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="thin-scroll fixed top-1/2 left-1/2 z-50 outline-none max-h-[84vh] w-[720px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-[5px] border-[1.5px] border-ink bg-card p-5 shadow-[5px_5px_0_var(--color-well)]"
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="title text-[19px]">{title}</Dialog.Title>
            <Dialog.Close className="rounded-[3px] border-[1.3px] border-ink px-2.5 py-[3px] text-[12px] hover:bg-well">
              Close
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
