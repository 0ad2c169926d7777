import { create } from "zustand";
import { persist } from "zustand/middleware";
import { readTemperaturesIn } from "../api/readIn";
import { plain } from "./format";

export type TemperatureUnit = "C" | "F";
export type DrinkUnit = "g" | "mL";

/** How this browser's user reads temperatures and the drink; what is stored is °C and grams. */
export const useUnits = create<{
  temperature: TemperatureUnit;
  drink: DrinkUnit;
  setTemperature: (unit: TemperatureUnit) => void;
  setDrink: (unit: DrinkUnit) => void;
}>()(
  persist(
    (set) => ({
      temperature: "C",
      drink: "g",
      setTemperature: (temperature) => set({ temperature }),
      setDrink: (drink) => set({ drink }),
    }),
    { name: "vapocline.units" },
  ),
);

readTemperaturesIn(useUnits.getState().temperature);
useUnits.subscribe(({ temperature }) => readTemperaturesIn(temperature));

/** A temperature as this browser's user reads it, with its unit; `digits` as many as it takes. */
export function useTemperature() {
  const inF = useUnits((units) => units.temperature) === "F";
  const number = (celsius: number, digits?: number) => {
    const value = inF ? fahrenheit(celsius) : celsius;
    return digits === undefined ? plain(value) : value.toFixed(digits);
  };
  const unit = inF ? "°F" : "°C";
  return {
    inF,
    unit,
    number,
    shown: (celsius: number, digits?: number) => `${number(celsius, digits)} ${unit}`,
    /** A number in whatever unit, converted where that is °C. */
    amount: (value: number, of: string) =>
      of === "°C" ? `${number(value)} ${unit}` : `${plain(value)} ${of}`.trimEnd(),
  };
}

/** A temperature in the unit that is read, for words made outside of a component. */
export function temperatureWords(value: number) {
  const inF = useUnits.getState().temperature === "F";
  return `${plain(inF ? fahrenheit(value) : value)} ${inF ? "°F" : "°C"}`;
}

export const fahrenheit = (celsius: number) => Number((celsius * 1.8 + 32).toFixed(1));
export const celsius = (f: number) => Number(((f - 32) / 1.8).toFixed(2));
