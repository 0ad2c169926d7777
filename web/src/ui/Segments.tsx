import { styles } from "./styles";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly { value: T; words: string }[];
  onChange: (value: T) => void;
}

/** One of two or three, side by side. */
export function Segments<T extends string>({ label, value, options, onChange }: Props<T>) {
  return (
    <fieldset className={styles.segments} data-ui="segments" aria-label={label}>
      {options.map((one) => (
        <button
          key={one.value}
          type="button"
          aria-pressed={one.value === value}
          data-selected={one.value === value || undefined}
          onClick={() => onChange(one.value)}
        >
          {one.words}
        </button>
      ))}
    </fieldset>
  );
}
