import { create } from "zustand";
import { persist } from "zustand/middleware";
import { alongAxes, CLOCKS, useAlongAxis, useClock } from "../profile/clock";
import { useDialReading } from "../profile/dial";
import { useUnits } from "../ui/units";
import { toggleTheme } from "./theme";

/** Whether single letters act as keys: speech input presses them too. */
export const useKeySettings = create<{
  singleKeys: boolean;
  setSingleKeys: (on: boolean) => void;
}>()(
  persist((set) => ({ singleKeys: true, setSingleKeys: (singleKeys) => set({ singleKeys }) }), {
    name: "vapocline.keys",
  }),
);

interface Setting {
  id: string;
  words: string;
  run: () => void;
}

/** What this browser's user has set, each as one step to the next value. */
export function useSettings(): Setting[] {
  const { temperature, weight, volume, drink, set } = useUnits();
  const { clock, setClock } = useClock();
  const { along, setAlong } = useAlongAxis();
  const { singleKeys, setSingleKeys } = useKeySettings();
  const { on, setOn } = useDialReading();
  return [
    {
      id: "dial",
      words: `Pressure ${on ? "at the puck" : "as the machine's dial reads, where calibrated"}`,
      run: () => setOn(!on),
    },
    { id: "theme", words: "Theme: light or dark", run: toggleTheme },
    {
      id: "keys",
      words: `Single-letter keys: turn ${singleKeys ? "off" : "on"}`,
      run: () => setSingleKeys(!singleKeys),
    },
    {
      id: "temperature",
      words: `Temperature in ${temperature === "C" ? "°F" : "°C"}`,
      run: () => set({ temperature: temperature === "C" ? "F" : "C" }),
    },
    {
      id: "weight",
      words: weight === "g" ? "Weights in ounces" : "Weights in grams",
      run: () => set({ weight: weight === "g" ? "oz" : "g" }),
    },
    {
      id: "volume",
      words: volume === "mL" ? "Volumes in fluid ounces" : "Volumes in millilitres",
      run: () => set({ volume: volume === "mL" ? "fl oz" : "mL" }),
    },
    {
      id: "drink",
      words: drink === "weight" ? "Yield as a marked glass reads it" : "Yield as weighed",
      run: () => set({ drink: drink === "weight" ? "glass" : "weight" }),
    },
    ...CLOCKS.filter((one) => one.value !== clock).map((one) => ({
      id: `clock-${one.value}`,
      words: `Clock from ${one.words}`,
      run: () => setClock(one.value),
    })),
    ...alongAxes()
      .filter((one) => one.value !== along)
      .map((one) => ({
        id: `axis-${one.value}`,
        words: `Chart axis: ${one.words}`,
        run: () => setAlong(one.value),
      })),
  ];
}
