import { create } from "zustand";
import { persist } from "zustand/middleware";
import { readWordsIn } from "../api/readIn";

export type TemperatureUnit = "C" | "F";
export type WeightUnit = "g" | "oz";
export type VolumeUnit = "mL" | "fl oz";
/** Whether the drink is told by its weight, or by what a marked glass would read. */
export type DrinkMeasure = "weight" | "glass";

export interface Units {
  temperature: TemperatureUnit;
  weight: WeightUnit;
  volume: VolumeUnit;
  drink: DrinkMeasure;
}

interface Reading extends Units {
  /** The house's, for what this browser's user chose nothing of. */
  house: Units;
  chosen: Partial<Units>;
  /** Read amounts so here, whatever the house does. */
  set: (chosen: Partial<Units>) => void;
  /** The house reads amounts so; what is no longer chosen here follows it. */
  follow: (house: Units, chosen?: Partial<Units>) => void;
}

const AS_STORED: Units = { temperature: "C", weight: "g", volume: "mL", drink: "weight" };
const read = (house: Units, chosen: Partial<Units>) => ({ house, chosen, ...house, ...chosen });

/** How this browser's user reads amounts; what is stored is °C, g and mL. */
export const useUnits = create<Reading>()(
  persist(
    (set, get) => ({
      ...read(AS_STORED, {}),
      set: (chosen) => set(read(get().house, { ...get().chosen, ...chosen })),
      follow: (house, chosen = get().chosen) => set(read(house, chosen)),
    }),
    {
      name: "vapocline.units",
      version: 1,
      partialize: ({ house, chosen }) => ({ house, chosen }),
      merge: (kept, now) => {
        const { house = AS_STORED, chosen = {} } = (kept ?? {}) as Partial<Reading>;
        return { ...now, ...read(house, chosen) };
      },
      // Before there were ounces the drink was told in "g" or "mL".
      migrate: (old) => {
        const { temperature = "C", drink } = old as { temperature?: string; drink?: string };
        return { chosen: { temperature, drink: drink === "mL" ? "glass" : "weight" } } as never;
      },
    },
  ),
);

export const DEGREES = [
  { value: "C", words: "°C" },
  { value: "F", words: "°F" },
] as const;
export const WEIGHTS = [
  { value: "g", words: "g" },
  { value: "oz", words: "oz" },
] as const;
export const VOLUMES = [
  { value: "mL", words: "mL" },
  { value: "fl oz", words: "fl oz" },
] as const;
export const DRINK_MEASURES = [
  { value: "weight", words: "weighed" },
  { value: "glass", words: "in a marked glass" },
] as const;

/** The units as the server and a key take them. */
export const unitsNamed = ({ temperature, weight, volume }: Omit<Units, "drink">) =>
  `${temperature}, ${weight}, ${volume}`;

readWordsIn(unitsNamed(useUnits.getState()));
useUnits.subscribe((now) => readWordsIn(unitsNamed(now)));

/** How a unit is read: times `factor`, plus `zero`, with `finer` more decimals. */
interface Scale {
  unit: string;
  factor: number;
  zero: number;
  finer: number;
}

const READ: Record<string, Scale> = {
  F: { unit: "°F", factor: 1.8, zero: 32, finer: 0 },
  oz: { unit: "oz", factor: 1 / 28.349523, zero: 0, finer: 2 },
  "fl oz": { unit: "fl oz", factor: 1 / 29.57353, zero: 0, finer: 2 },
};
const CHOSEN = { "°C": "temperature", g: "weight", mL: "volume" } as const;

function scaleOf(unit: string, units: Units): Scale {
  const by = CHOSEN[unit as keyof typeof CHOSEN];
  return (by && READ[units[by]]) ?? { unit, factor: 1, zero: 0, finer: 0 };
}

/**
 * An amount without its unit; `digits` decimals of `unit`, or as many as it takes. Views are drawn
 * anew when a unit is chosen, so that words need no hook.
 */
export function amountNumber(value: number, unit: string, digits?: number) {
  const { factor, zero, finer } = scaleOf(unit, useUnits.getState());
  const number = value * factor + zero;
  if (digits !== undefined) return number.toFixed(decimals(number, digits, finer));
  return String(Number(number.toFixed(unit === "°C" && factor !== 1 ? 1 : 3)));
}

/** Decimals that keep the fineness of `digits`: two more for ounces, fewer once there are ten. */
function decimals(value: number, digits: number, finer: number) {
  const whole = finer === 0 ? 1 : Math.abs(value).toFixed(0).length;
  return Math.max(0, digits + finer + 1 - Math.max(1, whole));
}

/** A unit as it is read. */
export const readUnit = (unit: string) => scaleOf(unit, useUnits.getState()).unit;

/** An amount with its unit as it is read. */
export const amount = (value: number, unit: string, digits?: number) =>
  `${amountNumber(value, unit, digits)} ${readUnit(unit)}`.trimEnd();

/** How much of `unit` one of what is read for it holds: 28.35 g where ounces are read. */
export const amountSize = (unit: string) => 1 / scaleOf(unit, useUnits.getState()).factor;

/** A difference of amounts, without its unit. */
export function apartNumber(by: number, unit: string, digits: number) {
  const { factor, finer } = scaleOf(unit, useUnits.getState());
  return (by * factor).toFixed(decimals(by * factor, digits, finer));
}

export const grams = (value: number, digits?: number) => amount(value, "g", digits);
export const millilitres = (value: number, digits?: number) => amount(value, "mL", digits);
export const temperature = (value: number, digits?: number) => amount(value, "°C", digits);

/** From what is stored in `unit` to what is read, and back, unrounded. */
export function readScale(unit: string) {
  const { factor, zero } = scaleOf(unit, useUnits.getState());
  return {
    shown: (value: number) => value * factor + zero,
    stored: (value: number) => (value - zero) / factor,
  };
}

/** How a field shows and takes what is stored in `unit`, with a step that suits what is read. */
export function useFieldScale(unit: string | undefined, step: number) {
  const units = useUnits();
  const scale = unit === undefined ? undefined : scaleOf(unit, units);
  if (scale === undefined || scale.factor === 1)
    return { shown: (value: number) => value, stored: (value: number) => value, step, wider: 0 };
  const { factor, zero, finer } = scale;
  return {
    shown: (value: number) => Number((value * factor + zero).toFixed(finer ? 3 : 1)),
    stored: (value: number) => Number(((value - zero) / factor).toFixed(finer ? 3 : 2)),
    step: roundStep(step * factor),
    wider: finer * 5, // px, for the decimals
  };
}

/** The nearest of 1, 2 and 5 with its power of ten. */
function roundStep(step: number) {
  const power = 10 ** Math.floor(Math.log10(step));
  const lead = step / power;
  const nearest = lead < Math.SQRT2 ? 1 : lead < Math.sqrt(10) ? 2 : lead < Math.sqrt(50) ? 5 : 10;
  return Number((nearest * power).toPrecision(1));
}
