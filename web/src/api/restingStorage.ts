import type { PersistStorage, StorageValue } from "zustand/middleware";

const REST_MS = 400;

/**
 * A store kept in localStorage: the first change at once, so that a tab killed right after it loses
 * nothing, and what follows once the hand rests, as a drag changes it on every frame and writing it
 * each time would cost the frame. Leaving the page writes what is still due.
 */
export function restingStorage<T>(key: () => string): PersistStorage<T> {
  let due: StorageValue<T> | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const put = () => {
    if (due) localStorage.setItem(key(), JSON.stringify(due));
    due = undefined;
  };
  const write = () => {
    clearTimeout(timer);
    timer = undefined;
    put();
  };
  addEventListener("pagehide", write);
  document.addEventListener("visibilitychange", () => {
    if (document.visibilityState === "hidden") write();
  });
  return {
    getItem: () => JSON.parse(localStorage.getItem(key()) ?? "null"),
    setItem: (_name, value) => {
      due = value;
      const moving = timer !== undefined;
      clearTimeout(timer);
      if (!moving) put();
      timer = setTimeout(write, REST_MS);
    },
    removeItem: () => {
      due = undefined;
      localStorage.removeItem(key());
    },
  };
}
