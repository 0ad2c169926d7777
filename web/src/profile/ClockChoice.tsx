import { Choice } from "../ui/Choice";
import { CLOCKS, useClock } from "./clock";

/** From when shot times are counted, everywhere. */
export function ClockChoice() {
  const { clock, setClock } = useClock();
  return (
    <Choice
      label="Shot time"
      value={clock}
      options={CLOCKS.map((one) => ({ value: one.value, words: `time from ${one.words}` }))}
      onChange={setClock}
    />
  );
}

/** The figure that holds a shot's time on the clock in use. */
export function useTimeFigure() {
  const clock = useClock((state) => state.clock);
  return (CLOCKS.find((one) => one.value === clock) ?? CLOCKS[0]).figure;
}
