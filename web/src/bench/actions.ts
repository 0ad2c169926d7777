import { useLayoutEffect, useRef } from "react";
import { create } from "zustand";

/** Something a user can do: by its key, from the palette, and listed in the help. */
export interface Action {
  id: string;
  words: string;
  /** As tinykeys reads it; shown by `keyWords`. */
  key?: string;
  group: "Go to" | "Here" | "Anywhere";
  disabled?: boolean;
  /** An order to a running shot: a key that is held down gives it once. */
  order?: boolean;
  /** Its key works whatever has the focus, but where words are written. */
  urgent?: boolean;
  run: () => void;
}

interface Actions {
  lists: Record<string, Action[]>;
  register: (owner: string, actions: Action[]) => void;
  release: (owner: string) => void;
}

/** Every action on the page now, by who offers it. */
export const useActionLists = create<Actions>((set) => ({
  lists: {},
  register: (owner, actions) => set((old) => ({ lists: { ...old.lists, [owner]: actions } })),
  release: (owner) =>
    set((old) => {
      const { [owner]: _gone, ...lists } = old.lists;
      return { lists };
    }),
}));

/**
 * Offer actions for as long as the caller is on the page. Layout effects: whoever sees the
 * view can press its keys, also before the browser has found time for other effects.
 */
export function useActions(owner: string, actions: Action[]) {
  const { register, release } = useActionLists.getState();
  const latest = useRef(actions);
  const looks = JSON.stringify(actions.map(({ run: _run, ...rest }) => rest));
  useLayoutEffect(() => {
    latest.current = actions;
  });
  // Only what shows is registered again; running always finds the newest.
  useLayoutEffect(() => {
    const shown: Omit<Action, "run">[] = JSON.parse(looks);
    const run = (id: string) => latest.current.find((one) => one.id === id)?.run();
    register(
      owner,
      shown.map((one) => ({ ...one, run: () => run(one.id) })),
    );
  }, [owner, looks, register]);
  useLayoutEffect(() => () => release(owner), [owner, release]);
}

/** A key as a sentence writes it: "$mod+Shift+z" as "Ctrl Shift Z". */
export function keyWords(key: string) {
  const names: Record<string, string> = {
    $mod: modifierName(),
    ArrowLeft: "Left",
    ArrowRight: "Right",
  };
  return key
    .split("+")
    .map((part) => names[part] ?? part)
    .map((part) => (part.length === 1 ? part.toUpperCase() : part))
    .join(" ");
}

function modifierName() {
  return navigator.platform.startsWith("Mac") ? "Cmd" : "Ctrl";
}
