import { cn, styles } from "./styles";

/** A line of text with its label above it. */
export function TextLine(props: {
  label: string;
  value: string;
  most: number;
  onChange: (value: string) => void;
}) {
  return (
    <label className="grid gap-1">
      {props.label}
      <input
        className={cn(styles.textField, "w-full")}
        data-ui="field"
        maxLength={props.most}
        value={props.value}
        onChange={(event) => props.onChange(event.target.value)}
      />
    </label>
  );
}
