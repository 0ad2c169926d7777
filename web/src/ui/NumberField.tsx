import { type KeyboardEvent, useId, useState } from "react";
import { plain } from "./format";
import { styles } from "./styles";
import { useFieldScale } from "./units";

/** What a field holds: a number, or what was typed while it is none; null for an empty one. */
export type Typed = number | string | null;

/** Text as a number where it is one, a comma taken as the decimal point; kept as text if not. */
export function parsed(text: string): Typed {
  const trimmed = text.trim();
  if (trimmed === "") return null;
  const number = Number(trimmed.replace(",", "."));
  return Number.isFinite(number) ? number : text;
}

function shown(value: Typed) {
  return typeof value === "number" ? plain(value) : (value ?? "");
}

interface Props {
  label: string;
  value: Typed;
  onChange: (value: Typed) => void;
  /** The server's words against this value. */
  error?: string | undefined;
  /** Allowed, but will hardly do what was meant. */
  note?: string | undefined;
  step?: number;
  width?: number;
  placeholder?: string;
  autoFocus?: boolean;
  /** It may be below zero. */
  signed?: boolean;
  /** What the value and its step are in: shown and typed in the unit that is read for it. */
  unit?: string | undefined;
}

/** A number to type, or to nudge with the arrows; Shift makes the step ten times as large, Alt a tenth. */
export function NumberField({
  label,
  value: stored,
  onChange: store,
  error,
  note,
  step: storedStep = 0.1,
  width = 54,
  signed = false,
  unit,
  ...rest
}: Props) {
  const scale = useFieldScale(unit, storedStep);
  const value = typeof stored === "number" ? scale.shown(stored) : stored;
  const step = scale.step;
  const onChange = (typed: Typed) => store(typeof typed === "number" ? scale.stored(typed) : typed);
  const [text, setText] = useState(shown(value));
  const errorId = useId();
  if (parsed(text) !== value && text !== shown(value)) setText(shown(value)); // changed elsewhere

  function nudge(event: KeyboardEvent<HTMLInputElement>) {
    const direction = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (!direction || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    const from = typeof value === "number" ? value : 0;
    const by = direction * step * (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
    const next = Number((from + by).toFixed(4));
    onChange(signed || from < 0 ? next : Math.max(0, next));
  }

  return (
    <span className={styles.withError} data-ui="field-frame">
      <input
        className={styles.field}
        data-ui="field"
        style={{ width: width + scale.wider }}
        type="text"
        inputMode="decimal"
        autoComplete="off"
        aria-label={label}
        aria-invalid={error ? true : undefined}
        aria-describedby={error || note ? errorId : undefined}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          onChange(parsed(event.target.value));
        }}
        onKeyDown={nudge}
        onFocus={(event) => event.target.select()}
        {...rest}
      />
      {error && <FieldError id={errorId}>{`${label}: ${error}`}</FieldError>}
      {!error && note && (
        <span id={errorId} className={styles.fieldNote} data-part="field-note">
          {note}
        </span>
      )}
    </span>
  );
}

/** Why a field was refused, right under it. */
export function FieldError({ id, children }: { id?: string; children: string }) {
  return (
    <span
      id={id}
      role="alert"
      className="max-w-52 mt-0.5 text-small leading-4 whitespace-normal text-stop"
      data-part="field-error"
    >
      {children}
    </span>
  );
}
