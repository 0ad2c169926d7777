import {
  autoUpdate,
  FloatingPortal,
  flip,
  offset,
  shift,
  useDismiss,
  useFloating,
  useFocus,
  useHover,
  useInteractions,
  useRole,
} from "@floating-ui/react";
import { type ReactNode, useState } from "react";
import { type TermId, termOf } from "./glossary";
import { cn, styles } from "./styles";

/** A word that says what it means here, when the pointer or the focus is on it. */
export function TermHint({ of, children }: { of: TermId; children: ReactNode }) {
  const [open, setOpen] = useState(false);
  const { refs, floatingStyles, context } = useFloating({
    open,
    onOpenChange: setOpen,
    placement: "top-start",
    middleware: [offset(6), flip(), shift({ padding: 8 })],
    whileElementsMounted: autoUpdate,
  });
  const { getReferenceProps, getFloatingProps } = useInteractions([
    useHover(context, { delay: { open: 350, close: 0 } }),
    useFocus(context),
    useDismiss(context),
    useRole(context, { role: "tooltip" }),
  ]);
  const term = termOf(of);
  if (!term) return children;
  return (
    <>
      <button
        ref={refs.setReference}
        type="button"
        className="cursor-help text-left decoration-edge decoration-dotted underline-offset-3 hover:underline focus-visible:underline"
        {...getReferenceProps()}
      >
        {children}
      </button>
      {open && (
        <FloatingPortal>
          <div
            ref={refs.setFloating}
            style={floatingStyles}
            className={cn(styles.panel, "z-50 max-w-80 p-3")}
            {...getFloatingProps()}
          >
            <p>
              <b>{term.term}</b>
              {term.unit && <span className="text-quiet">, {term.unit}</span>}
            </p>
            <p className="mt-1">{term.meaning}</p>
            {term.also && <p className="mt-1 text-quiet">{term.also}</p>}
          </div>
        </FloatingPortal>
      )}
    </>
  );
}
