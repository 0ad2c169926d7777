import type { PersistStorage, StorageValue } from "zustand/middleware";

const REST_MS = 400;

/**
 * A store kept in localStorage once the hand rests: a drag changes it on every frame, and writing
 * it each time would cost the frame. Leaving the page writes what is still due.
 */
export function restingStorage<T>(key: () => string): PersistStorage<T> {
  let due: StorageValue<T> | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const write = () => {
    clearTimeout(timer);
    if (due) localStorage.setItem(key(), JSON.stringify(due));
    due = undefined;
  };
  addEventListener("pagehide", write);
  document.addEventListener("visibilitychange", () => {
    if (document.visibilityState === "hidden") write();
  });
  return {
    getItem: () => JSON.parse(localStorage.getItem(key()) ?? "null"),
    setItem: (_name, value) => {
      due = value;
      clearTimeout(timer);
      timer = setTimeout(write, REST_MS);
    },
    removeItem: () => {
      due = undefined;
      localStorage.removeItem(key());
    },
  };
}
