const KEY = "vapocline.profile";

/** The profile looked at last in this browser; 0 for none. */
export function plannedHere() {
  return Number(localStorage.getItem(KEY));
}

/** Remember which profile was looked at; null once it is gone. */
export function rememberPlanned(id: number | null) {
  if (id === null) localStorage.removeItem(KEY);
  else localStorage.setItem(KEY, String(id));
}

/** The profile looked at last in this browser, or the one last saved by anybody. */
export function lastPlanned<P extends { id: number; saved_at: string }>(profiles: readonly P[]) {
  const newest = [...profiles].sort((a, b) => b.saved_at.localeCompare(a.saved_at))[0];
  return profiles.find((one) => one.id === plannedHere()) ?? newest;
}
