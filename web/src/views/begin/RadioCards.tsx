import { type ReactNode, useId } from "react";
import { cn } from "../../ui/styles";

interface Props<T extends string> {
  legend: string;
  value: T;
  options: readonly { value: T; words: string; drawing?: ReactNode }[];
  onChange: (value: T) => void;
  autoFocus?: boolean;
  /** The drawing above the words, all of one width. */
  stacked?: boolean;
}

/** One of several, each drawn: arrows go from one to the next, Enter goes on. */
export function RadioCards<T extends string>(props: Props<T>) {
  const { legend, value, options, onChange, autoFocus = false, stacked = false } = props;
  const name = useId();
  return (
    <fieldset
      className={
        stacked
          ? "grid w-full grid-cols-8 gap-1.5 max-narrow:grid-cols-4 max-phone:grid-cols-2"
          : "flex flex-wrap gap-1.5"
      }
    >
      <legend className="sr-only">{legend}</legend>
      {options.map((one) => (
        <label
          key={one.value}
          className={cn(
            "relative flex min-h-9 cursor-pointer items-center gap-1.5 rounded-sm border border-edge bg-sheet px-2.5 py-1",
            stacked && "min-h-17 flex-col justify-center gap-0.5 px-1 text-center leading-4",
            "has-checked:border-action has-checked:bg-tint has-checked:font-semibold has-checked:text-action has-checked:shadow-[inset_0_0_0_1px_var(--action)] has-focus-visible:outline-2 has-focus-visible:outline-offset-2 has-focus-visible:outline-action",
          )}
        >
          <input
            type="radio"
            className="sr-only"
            name={name}
            checked={one.value === value}
            // biome-ignore lint/a11y/noAutofocus: the question that was gone on to
            autoFocus={autoFocus && one.value === value}
            onChange={() => onChange(one.value)}
          />
          {one.drawing}
          {one.words}
        </label>
      ))}
    </fieldset>
  );
}
