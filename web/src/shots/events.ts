import type { Shot } from "../api/client";

export type ShotEvent = Shot["events"][number];
export type EventKind = ShotEvent["kind"];
export type EventOf<K extends EventKind> = Extract<ShotEvent, { kind: K }>;

function isOf<K extends EventKind>(kinds: K[]) {
  return (event: ShotEvent): event is EventOf<K> => (kinds as EventKind[]).includes(event.kind);
}

/** The first event of some kinds. */
export function firstEvent<K extends EventKind>(events: ShotEvent[], ...kinds: K[]) {
  return events.find(isOf(kinds));
}

/** The newest event of some kinds. */
export function lastEvent<K extends EventKind>(events: ShotEvent[], ...kinds: K[]) {
  return events.findLast(isOf(kinds));
}

/** Every event of some kinds, in order. */
export function eventsOf<K extends EventKind>(events: ShotEvent[], ...kinds: K[]) {
  return events.filter(isOf(kinds));
}
