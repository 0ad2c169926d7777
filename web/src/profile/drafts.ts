import { dequal } from "dequal";
import { create } from "zustand";
import { persist } from "zustand/middleware";
import { restingStorage } from "../api/restingStorage";
import { draftsKey } from "../api/tab";
import type { LooseProfile } from "./loose";

const MOST_STEPS = 60;
const SAME_EDIT_MS = 1200;

/** Unsaved edits of one profile, with the way back and forth. */
export interface Draft {
  basedOn: number;
  now: LooseProfile;
  past: LooseProfile[];
  future: LooseProfile[];
  /** What was edited last, and when: keystrokes in one field are one step back. */
  field: string;
  at: number;
}

interface Drafts {
  drafts: Record<number, Draft>;
  edit: (profileId: number, saved: Saved, field: string, next: LooseProfile) => void;
  undo: (profileId: number) => void;
  redo: (profileId: number) => void;
  rebase: (profileId: number, onto: number) => void;
  drop: (profileId: number) => void;
}

export interface Saved {
  number: number;
  profile: LooseProfile;
}

export const useDrafts = create<Drafts>()(
  persist(
    (set) => {
      const change = (id: number, to: (draft: Draft) => Draft) =>
        set(({ drafts }) => {
          const draft = drafts[id];
          return draft ? { drafts: { ...drafts, [id]: to(draft) } } : {};
        });
      return {
        drafts: {},
        edit: (id, saved, field, next) =>
          set(({ drafts }) => ({
            drafts: { ...drafts, [id]: edited(drafts[id], saved, field, next) },
          })),
        undo: (id) => change(id, undone),
        redo: (id) => change(id, redone),
        rebase: (id, onto) => change(id, (draft) => ({ ...draft, basedOn: onto })),
        drop: (id) =>
          set(({ drafts }) => {
            const { [id]: _dropped, ...others } = drafts;
            return { drafts: others };
          }),
      };
    },
    {
      name: "vapocline.drafts",
      // The place is only known once the tab is claimed, so it is asked for at every use.
      storage: restingStorage(draftsKey),
      partialize: ({ drafts }): Pick<Drafts, "drafts"> => ({ drafts }),
      skipHydration: true,
    },
  ),
);

function edited(draft: Draft | undefined, saved: Saved, field: string, next: LooseProfile): Draft {
  const at = Date.now();
  // One that was undone to where it began says nothing of its own: it starts again from what is saved.
  if (!draft || draft.past.length === 0) {
    return { basedOn: saved.number, now: next, past: [saved.profile], future: [], field, at };
  }
  // However long the hand holds something, it is one step back.
  const held = field.startsWith("drag:");
  const same = field !== "" && draft.field === field && (held || at - draft.at < SAME_EDIT_MS);
  const past = same ? draft.past : [...draft.past, draft.now].slice(-MOST_STEPS);
  const basedOn = differs(draft, saved) ? draft.basedOn : saved.number;
  return { basedOn, now: next, past, future: [], field, at };
}

function undone(draft: Draft): Draft {
  const now = draft.past.at(-1);
  if (!now) return draft;
  const future = [draft.now, ...draft.future];
  return { ...draft, now, past: draft.past.slice(0, -1), future, field: "" };
}

function redone(draft: Draft): Draft {
  const [now, ...future] = draft.future;
  if (!now) return draft;
  return { ...draft, now, past: [...draft.past, draft.now], future, field: "" };
}

/** Whether a draft says anything the saved version does not. */
export function differs(draft: Draft | undefined, saved: Saved) {
  return draft !== undefined && !dequal(draft.now, saved.profile);
}
