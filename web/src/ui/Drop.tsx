import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";
import { buttonStyle } from "./Button";
import { cn, styles } from "./styles";

/** A button that opens a panel under it; what is in it may close it. */
export function Drop({
  words,
  children,
}: {
  words: string;
  children: (close: () => void) => ReactNode;
}) {
  return (
    <Popover>
      <PopoverButton className={buttonStyle("plain")}>
        {words} <ChevronDown size={13} aria-hidden="true" />
      </PopoverButton>
      <PopoverPanel
        focus
        anchor={{ to: "bottom end", gap: 4, padding: 12 }}
        className={cn(styles.panel, "z-40 w-80 p-3")}
      >
        {({ close }) => <>{children(() => close())}</>}
      </PopoverPanel>
    </Popover>
  );
}
