import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import type { ReactNode } from "react";
import { cn, styles } from "./styles";

/** An underlined word of a sentence; what it stands for opens under it. */
export function Word(props: {
  words: string;
  label: string;
  className?: string;
  children: (close: () => void) => ReactNode;
}) {
  return (
    <Popover as="span" className="relative">
      <PopoverButton className={styles.word} aria-label={`${props.label}: ${props.words}`}>
        {props.words}
      </PopoverButton>
      <PopoverPanel
        focus
        anchor={{ to: "bottom start", gap: 8, padding: 12 }}
        className={cn(styles.panel, "z-40 w-72 p-3", props.className)}
      >
        {({ close }) => <>{props.children(() => close())}</>}
      </PopoverPanel>
    </Popover>
  );
}
