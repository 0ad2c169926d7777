import type { PlanChange, Shot } from "../../api/client";

/** The way into Plan with a finding's number suggested: following it applies nothing. */
export function suggestionPath(shot: Shot, change: PlanChange) {
  const search = new URLSearchParams({ from: String(shot.id), suggest: change.number });
  search.set("value", String(change.number === "grind_um" ? (change.setting ?? "") : change.value));
  if (change.phase !== null) search.set("phase", String(change.phase));
  if (change.exit !== null && change.exit !== undefined) search.set("exit", String(change.exit));
  return `/plan/${shot.profile_id}?${search}`;
}
