import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface ConfirmProps {
  open: boolean;
  title: string;
  children: ReactNode;
  /** What the button that does it says. */
  verb: string;
  busy?: boolean;
  onDo: () => void;
  onClose: () => void;
}

/** Asks before something is destroyed. */
export function Confirm({ open, title, children, verb, busy = false, onDo, onClose }: ConfirmProps) {
  return (
    <Dialog.Root open={open} onOpenChange={(to) => !to && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="veil" />
        <Dialog.Content className="dialog" data-modal>
          <Dialog.Title className="title">{title}</Dialog.Title>
          <Dialog.Description>{children}</Dialog.Description>
          <div className="end">
            <button type="button" className="do" disabled={busy} onClick={onDo}>
              {verb}
            </button>
            <Dialog.Close className="do plain">Keep</Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
