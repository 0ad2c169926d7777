/** Findings of Read by a short name: their sentences stand with the shot. */
const FINDINGS: Record<string, string> = {
  opened: "channel opened",
  run_away: "flow ran away",
  early_resistance: "resisted at first",
  loosened: "puck gave way",
  not_reached: "command not reached",
  overshoot: "above its command",
  water_count: "water does not add up",
  late_meeting: "water and cup met late",
  choked: "choked",
  over_soaked: "soaked long",
  first_drip: "first drip off",
  level: "level flow",
  stop: "stopped off its goal",
  by_hand: "by hand",
  pre_infusion_end: "soak's end",
  temperature: "temperature off",
  wetting: "wetted unevenly",
  record: "gap in the record",
  meter: "a meter is off",
  ran_like: "ran like another grind",
};

export const findingName = (kind: string) => FINDINGS[kind] ?? kind.replaceAll("_", " ");
