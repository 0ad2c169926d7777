import { NumberField, type Typed } from "./NumberField";
import { celsius, fahrenheit, useTemperature } from "./units";

/** A temperature typed in the unit that is read, with the unit; what it holds is °C, or text that is none. */
export function TemperatureField(props: {
  label: string;
  value: Typed;
  placeholder: string;
  error: string | undefined;
  onChange: (value: Typed) => void;
}) {
  const { label, value, placeholder, error, onChange } = props;
  const { inF, unit } = useTemperature();
  const shown = inF && typeof value === "number" ? fahrenheit(value) : value;
  return (
    <span className="flex items-start gap-1.5">
      <NumberField
        key={unit}
        label={label}
        value={shown}
        step={inF ? 1 : 0.5}
        placeholder={placeholder}
        error={error}
        onChange={(typed) => onChange(inF && typeof typed === "number" ? celsius(typed) : typed)}
      />
      <span className="leading-7">{unit}</span>
    </span>
  );
}
