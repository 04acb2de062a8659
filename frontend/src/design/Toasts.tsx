import { Toast } from "radix-ui";

import { useToasts } from "../app/toasts";

/** Messages at the foot of the station. Errors stay until read; the rest go by themselves. */
export function Toasts() {
  const { toasts, dismiss } = useToasts();
  return (
    <Toast.Provider swipeDirection="down" label="Message">
      {toasts.map((toast) => (
        <Toast.Root
          key={toast.id}
          type={toast.tone === "error" ? "foreground" : "background"}
          duration={toast.tone === "error" ? 3600_000 : 4500}
          onOpenChange={(open) => !open && dismiss(toast.id)}
          className="flex items-start gap-3 rounded-[4px] border-[1.5px] border-ink bg-card px-3 py-2 shadow-[3px_3px_0_var(--color-well)]"
        >
          <div className="grow">
            <Toast.Title className="title text-[13.5px]">{toast.title}</Toast.Title>
            {toast.text ? <Toast.Description className="text-[12.5px] text-ink2">{toast.text}</Toast.Description> : null}
          </div>
          {toast.action ? (
            <Toast.Action
              altText={toast.action.label}
              onClick={toast.action.run}
              className="rounded-[3px] border-[1.3px] border-ink bg-ink px-2 py-[2px] text-[12px] text-card"
            >
              {toast.action.label}
            </Toast.Action>
          ) : null}
          <Toast.Close aria-label="Dismiss" className="rounded-[3px] px-1.5 text-[14px] hover:bg-well">
            ✕
          </Toast.Close>
        </Toast.Root>
      ))}
      <Toast.Viewport className="fixed bottom-3 left-1/2 z-50 flex w-[430px] max-w-[94vw] -translate-x-1/2 flex-col gap-2 outline-none" />
    </Toast.Provider>
  );
}
