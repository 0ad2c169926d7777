import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { amountNumber } from "../../ui/units";
import type { Answering } from "./answering";

/** A number of the open part; left empty, it is what such parts usually have. */
export function AnswerNumber(props: {
  of: Answering;
  field: string;
  label: string;
  step?: number;
  width?: number;
  usual?: number;
  /** What it is stored in, where that is read in another unit. */
  unit?: string;
}) {
  const { of, field, label, usual, ...rest } = props;
  return (
    <NumberField
      label={label}
      value={(of.answer[field] as Typed | undefined) ?? null}
      onChange={(value) => of.set({ [field]: value })}
      error={of.error(field)}
      {...(usual === undefined ? {} : { placeholder: amountNumber(usual, props.unit ?? "") })}
      {...rest}
    />
  );
}

/** What a part is called; without a name it gets a plain one. */
export function AnswerName({ of, usual, label }: { of: Answering; usual: string; label: string }) {
  return <AnswerText of={of} field="name" label={label} placeholder={usual} width="w-44" />;
}

/** A text of the open part. */
export function AnswerText(props: {
  of: Answering;
  field: string;
  label: string;
  placeholder?: string;
  type?: "text" | "date";
  width?: string;
}) {
  const { of, field, label, placeholder, type = "text", width = "w-44" } = props;
  const error = of.error(field);
  return (
    <span className={styles.withError} data-ui="field-frame">
      <input
        className={cn(styles.textField, width)}
        data-ui="field"
        type={type}
        aria-label={label}
        aria-invalid={error ? true : undefined}
        placeholder={placeholder}
        autoComplete="off"
        value={(of.answer[field] as string | undefined) ?? ""}
        onChange={(event) => of.set({ [field]: event.target.value })}
      />
      {error && <FieldError>{`${label}: ${error}`}</FieldError>}
    </span>
  );
}
