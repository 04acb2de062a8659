import { Toast } from "radix-ui";

import { useToasts } from "../app/toasts";

/**
 * Messages, in a place of their own beside the stations' names: they cover nothing that is in use. The newest is shown, and how
 * many wait behind it. Errors and questions stay until they are answered; the rest go by themselves.
 */
export function Toasts() {
  const { toasts, dismiss } = useToasts();
  const newest = toasts.at(-1);
  return (
    <Toast.Provider swipeDirection="right" label="Message">
      {toasts.map((toast) => (
        <Toast.Root
          key={toast.id}
          type={toast.tone === "error" ? "foreground" : "background"}
          duration={toast.tone === "error" || toast.stays ? 3600_000 : 6000}
          onOpenChange={(open) => !open && dismiss(toast.id)}
          hidden={toast !== newest}
          className="flex items-center gap-2 rounded-[4px] border-[1.3px] border-ink bg-card py-[3px] pr-1 pl-2.5 text-[12px] leading-[1.25] hidden:hidden"
        >
          <div className="min-w-0 grow">
            <Toast.Title asChild>
              <strong className="title text-[12.5px]">{toast.title}</strong>
            </Toast.Title>
            {toast.text ? (
              <>
                <span aria-hidden>{/[.?!]$/.test(toast.title) ? " " : ". "}</span>
                <Toast.Description asChild>
                  <span className="text-ink2">{toast.text}</span>
                </Toast.Description>
              </>
            ) : null}
          </div>
          {toast.action ? (
            <Toast.Action
              altText={toast.action.label}
              onClick={toast.action.run}
              className="shrink-0 rounded-[3px] border-[1.3px] border-ink bg-ink px-2 py-[2px] text-card"
            >
              {toast.action.label}
            </Toast.Action>
          ) : null}
          {toasts.length > 1 ? <span className="shrink-0 text-ink2">+{toasts.length - 1}</span> : null}
          <Toast.Close aria-label="Dismiss" className="shrink-0 rounded-[3px] px-1.5 text-[13px] hover:bg-well">
            ✕
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="pointer-events-auto flex w-full flex-col outline-none" />
    </Toast.Provider>
  );
}
