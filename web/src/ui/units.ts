import { create } from "zustand";
import { persist } from "zustand/middleware";

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

export const fahrenheit = (celsius: number) => Number((celsius * 1.8 + 32).toFixed(1));
export const celsius = (f: number) => Number(((f - 32) / 1.8).toFixed(2));
