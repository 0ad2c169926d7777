/**
 * Which tab this is. Drafts belong to a tab, so that two tabs never write over each other's; a tab
 * that is gone leaves its drafts to the next one that opens. A held lock tells who is alive.
 */

const ID_KEY = "vapocline.tab";
const DRAFTS = "vapocline.drafts.";

/** Where this tab keeps its drafts; set once by `claimTab`. */
let storageKey = `${DRAFTS}single`;
let ours = "single";

/** This tab, among those that look at the same shot. */
export function tabId() {
  return ours;
}

export function draftsKey() {
  return storageKey;
}

/** Find out who we are and take over what gone tabs left. Call before the first page. */
export async function claimTab(): Promise<void> {
  // A page brought back whole by the browser no longer holds its lock.
  addEventListener("pageshow", (event) => event.persisted && location.reload());
  ours = crypto.randomUUID?.() ?? String(Math.random());
  if (!navigator.locks) return; // no way to tell tabs apart: they share one place
  const wanted = sessionStorage.getItem(ID_KEY);
  // A duplicated tab has the session storage of its twin: it starts with a copy.
  const id = wanted && (await hold(wanted)) ? wanted : crypto.randomUUID();
  if (id !== wanted) {
    await hold(id);
    sessionStorage.setItem(ID_KEY, id);
  }
  storageKey = DRAFTS + id;
  ours = id;
  await navigator.locks.request("vapocline.adoption", adopt);
}

/**
 * Hold a tab's lock until the page is left; false if another page holds it. It is let go on leaving,
 * not when the process is gone: a tab opened at once after this one closed finds its drafts.
 */
function hold(id: string): Promise<boolean> {
  return new Promise((resolve) => {
    navigator.locks.request(DRAFTS + id, { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      return lock ? new Promise((letGo) => addEventListener("pagehide", letGo)) : undefined;
    });
  });
}

interface Stored {
  state: { drafts: Record<string, unknown> };
  version: number;
}

function read(key: string): Stored {
  try {
    const stored = JSON.parse(localStorage.getItem(key) ?? "null");
    if (stored?.state?.drafts) return stored;
  } catch {
    // not ours, or cut off: as good as none
  }
  return { state: { drafts: {} }, version: 0 };
}

async function adopt() {
  const { held = [] } = await navigator.locks.query();
  const alive = new Set(held.map((lock) => lock.name));
  const own = read(storageKey);
  for (const key of Object.keys(localStorage)) {
    if (!key.startsWith(DRAFTS) || key === storageKey || alive.has(key)) continue;
    const left = read(key);
    for (const [profile, draft] of Object.entries(left.state.drafts)) {
      if (profile in own.state.drafts) continue; // it waits until ours is saved or dropped
      own.state.drafts[profile] = draft;
      delete left.state.drafts[profile];
    }
    if (Object.keys(left.state.drafts).length > 0) localStorage.setItem(key, JSON.stringify(left));
    else localStorage.removeItem(key);
  }
  localStorage.setItem(storageKey, JSON.stringify(own));
}
