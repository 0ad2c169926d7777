import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from "@headlessui/react";
import { dequal } from "dequal";
import { Check, ChevronDown } from "lucide-react";
import { memo, useCallback, useRef } from "react";
import { FieldError } from "./NumberField";
import { cn, styles } from "./styles";

interface Props<T extends string | number> {
  label: string;
  value: T;
  /** `button` is what the closed list says of one, where that is shorter; `why` what greys it. */
  options: readonly {
    value: T;
    words: string;
    button?: string;
    disabled?: boolean;
    why?: string;
  }[];
  onChange: (value: T) => void;
  error?: string | undefined;
  className?: string;
}

/**
 * One of a few words, in a sentence. Drawn again only when it shows something else: a page redraws
 * with every nudge, and a list with all its keys is slow to draw.
 */
export function Choice<T extends string | number>(props: Props<T>) {
  const latest = useRef(props.onChange);
  latest.current = props.onChange;
  const change = useCallback((value: T) => latest.current(value), []);
  return <Drawn {...(props as unknown as Props<string | number>)} onChange={change as never} />;
}

const Drawn = memo(List, dequal) as typeof List;

function List<T extends string | number>(props: Props<T>) {
  const { label, value, options, onChange, error, className = "" } = props;
  const current = options.find((option) => option.value === value);
  return (
    <span className={styles.withError} data-ui="field-frame">
      <Listbox value={value} onChange={onChange}>
        <ListboxButton
          aria-label={`${label}: ${current?.words ?? value}`}
          aria-invalid={error ? true : undefined}
          data-ui="field"
          className={cn(styles.textField, "flex items-center justify-between gap-1.5", className)}
        >
          {current?.button ?? current?.words ?? String(value)}
          <ChevronDown size={13} aria-hidden="true" />
        </ListboxButton>
        <ListboxOptions
          anchor={{ to: "bottom start", gap: 4 }}
          className={cn(
            styles.panel,
            "z-50 max-h-72 min-w-(--button-width) p-1 focus:outline-none",
          )}
        >
          {options.map((option) => (
            <ListboxOption
              key={option.value}
              value={option.value}
              disabled={option.disabled ?? false}
              className="flex cursor-pointer items-center justify-between gap-3 rounded-sm px-2 py-1 data-disabled:cursor-default data-disabled:text-quiet data-focus:bg-tint"
            >
              <span>
                {option.words}
                {option.disabled && option.why && (
                  <span className="block text-[13px] text-quiet">{option.why}</span>
                )}
              </span>
              {option.value === value && <Check size={14} aria-hidden="true" />}
            </ListboxOption>
          ))}
        </ListboxOptions>
      </Listbox>
      {error && <FieldError>{`${label}: ${error}`}</FieldError>}
    </span>
  );
}
