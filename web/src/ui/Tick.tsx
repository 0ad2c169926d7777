import type { ReactNode } from "react";

/** A checkbox with its words, in a list. */
export function Tick(props: {
  on: boolean;
  words: ReactNode;
  disabled?: boolean;
  change: (on: boolean) => void;
}) {
  return (
    <label className="flex cursor-pointer items-baseline gap-2 rounded-sm px-1 py-1 hover:bg-tint">
      <input
        type="checkbox"
        checked={props.on}
        disabled={props.disabled ?? false}
        onChange={(event) => props.change(event.target.checked)}
      />
      <span className="min-w-0 flex-1">{props.words}</span>
    </label>
  );
}

/** A list with an entry added or removed. */
export function toggled<T>(list: readonly T[], one: T, on: boolean): T[] {
  return on ? [...list, one] : list.filter((other) => other !== one);
}
