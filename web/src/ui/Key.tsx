import type { ComponentProps } from "react";
import { cn } from "./styles";

/** A key of the keyboard: not told where a finger is all there is. */
export function Key({ className, ...rest }: ComponentProps<"kbd">) {
  return (
    <kbd
      className={cn(
        "pointer-coarse:hidden rounded-[3px] border border-rule px-1 font-mono text-tick leading-4 font-medium tracking-[-0.02em] text-quiet",
        className,
      )}
      {...rest}
    />
  );
}
