import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import type { ReactNode } from "react";
import { cn, styles } from "./styles";

/** A sheet over the page, which waits below: closed by Escape or a click beside it. */
export function Modal(props: {
  open: boolean;
  close: () => void;
  title?: ReactNode;
  /** Work of its own, in the middle and as wide as it needs; else something short, further up. */
  wide?: boolean;
  className?: string;
  children: ReactNode;
}) {
  const { open, close, title, wide = false, className, children } = props;
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <div
        className={cn(
          "fixed inset-0 flex justify-center bg-ink/20",
          wide ? "items-center overflow-y-auto p-3" : "items-start p-4 pt-[10vh]",
        )}
      >
        <DialogPanel
          className={cn(
            styles.panel,
            wide ? "max-h-full w-[min(980px,_100%)] overflow-y-auto px-5 py-4" : "w-full",
            className,
          )}
        >
          {title && (
            <DialogTitle
              as="h2"
              className={wide ? "mb-2.5 font-sans text-[18px] leading-6 font-semibold" : ""}
            >
              {title}
            </DialogTitle>
          )}
          {children}
        </DialogPanel>
      </div>
    </Dialog>
  );
}
