import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

/** A question before something is done that others see. */
export function Asked({
  open,
  onOpen,
  title,
  act,
  onYes,
  children,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  title: string;
  act: string;
  onYes: () => void;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[14vh] left-1/2 z-30 max-h-[76vh] w-[min(92vw,460px)] -translate-x-1/2 overflow-y-auto border border-ink border-l-accent bg-paper p-6 text-ink"
        >
          <Dialog.Title>{title}</Dialog.Title>
          <div className="my-3">{children}</div>
          <span className="flex items-center gap-6">
            <button type="button" className="main-act" onClick={onYes}>
              {act}
            </button>
            <Dialog.Close className="act">Not yet</Dialog.Close>
          </span>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
