import { clsx } from "clsx";
import { Dialog as Radix } from "radix-ui";
import type { ReactNode } from "react";

import { Button } from "@/ui/Button";
import { Cross } from "@/ui/icons";
import { VEIL } from "@/ui/surfaces";

interface DialogProps {
  open: boolean;
  title: string;
  /** What it is about, told to whoever does not see it. */
  description?: ReactNode;
  onClose: () => void;
  children?: ReactNode;
}

/** For decisions only: nothing else can be done until it is closed. */
export function Dialog({ open, title, description, onClose, children }: DialogProps) {
  return (
    <Radix.Root open={open} onOpenChange={(to) => !to && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className={VEIL} />
        <Radix.Content
          className="fixed top-[12vh] left-1/2 z-26 max-h-[76vh] w-[min(440px,94vw)] -translate-x-1/2 overflow-auto rounded-xs border border-ink-2 bg-sheet px-6 py-5"
          data-modal
          {...(description ? {} : { "aria-describedby": undefined })}
        >
          <Radix.Title className="font-serif text-title font-[560]">{title}</Radix.Title>
          {description && <Radix.Description asChild={typeof description !== "string"}>{description}</Radix.Description>}
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}

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
    <Dialog open={open} title={title} description={<div>{children}</div>} onClose={onClose}>
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <Button kind="primary" disabled={busy} onClick={onDo}>
          {verb}
        </Button>
        <Radix.Close asChild>
          <Button>Cancel</Button>
        </Radix.Close>
      </div>
    </Dialog>
  );
}

interface SheetProps {
  open: boolean;
  title: ReactNode;
  /** What stands above and below the title. */
  above?: ReactNode;
  below?: ReactNode;
  onClose: () => void;
  /** Where the focus goes when it closes, when it is not where it came from. */
  onCloseAutoFocus?: (event: Event) => void;
  className?: string;
  children: ReactNode;
}

/** A drawer from the right; what it lies beside can still be used. */
export function Sheet({ open, title, above, below, onClose, onCloseAutoFocus, className, children }: SheetProps) {
  return (
    <Radix.Root open={open} modal={false} onOpenChange={(to) => !to && onClose()}>
      <Radix.Portal>
        <Radix.Content
          aria-describedby={undefined}
          className={clsx(
            "fixed inset-y-0 right-0 z-15 w-[min(var(--frame-drawer),100vw)] animate-slide overflow-auto border-l border-ink-2 bg-sheet px-6 pt-5 pb-8",
            className,
          )}
          onInteractOutside={(event) => event.preventDefault()}
          {...(onCloseAutoFocus ? { onCloseAutoFocus } : {})}
        >
          <header className="relative pr-8">
            {above && <p className="text-ink-2">{above}</p>}
            <Radix.Title className="font-serif text-title font-[560]">{title}</Radix.Title>
            {below && <p className="wrap-anywhere">{below}</p>}
            <Radix.Close asChild>
              <Button kind="icon" className="absolute -top-1 -right-1" aria-label="Close">
                <Cross />
              </Button>
            </Radix.Close>
          </header>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
