import { cn, styles } from "./styles";

/** A line of text with its label above it. */
export function TextLine(props: {
  label: string;
  value: string;
  most: number;
  /** For a thumb. */
  large?: boolean;
  onChange: (value: string) => void;
}) {
  return (
    <label className="grid gap-1">
      {props.label}
      <input
        className={cn(styles.textField, "w-full", props.large && "min-h-12 text-[17px]")}
        data-ui="field"
        maxLength={props.most}
        autoComplete="off"
        autoCapitalize={props.large ? "none" : undefined}
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
      />
    </label>
  );
}
