import { useQuery } from "@tanstack/react-query";
import { benchQuery } from "./queries";

/** The bench as a key of what is predicted on it, without what changes nothing. Empty until known. */
export function useSetup() {
  const bench = useQuery(benchQuery());
  if (!bench.data) return "";
  const {
    name: _name,
    goals: _goals,
    dose_tolerance_g: _tolerance,
    follows: _follows,
    ...setup
  } = bench.data;
  return JSON.stringify(setup);
}
