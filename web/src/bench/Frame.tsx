import { useQuery } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { useEffect } from "react";
import { Outlet, ScrollRestoration } from "react-router";
import { tinykeys } from "tinykeys";
import { LOST } from "../api/client";
import { benchQuery } from "../api/queries";
import { type Action, useActionLists, useActions } from "./actions";
import { BenchLine } from "./BenchLine";
import { Glossary } from "./Glossary";
import { useGoActions } from "./goTo";
import { KeysHelp } from "./KeysHelp";
import { useOverlay } from "./overlay";
import { Palette } from "./Palette";
import { Rail } from "./Rail";
import { useKeySettings } from "./settings";
import { toggleTheme } from "./theme";

/** What stands around every view: bench line, rail, palette, help, and the keys. */
export function Frame() {
  return (
    <div className="frame">
      <a href="#main" className="skip btn">
        Skip to content
      </a>
      <div className="mark">Vapocline</div>
      <header className="bench">
        <BenchLine />
        <Tools />
      </header>
      <Rail />
      <div id="main" tabIndex={-1} className="view">
        <Connection />
        <Outlet />
      </div>
      <FrameActions />
      <Keys />
      <Palette />
      <KeysHelp />
      <Glossary />
      <ScrollRestoration />
    </div>
  );
}

function Tools() {
  const lists = useActionLists((state) => state.lists);
  const open = useOverlay((state) => state.open);
  const all = Object.values(lists).flat();
  return (
    <div className="tools">
      <StepButton
        action={all.find((one) => one.id === "undo")}
        icon={<Undo2 size={16} aria-hidden="true" />}
      />
      <StepButton
        action={all.find((one) => one.id === "redo")}
        icon={<Redo2 size={16} aria-hidden="true" />}
      />
      <button type="button" onClick={() => open("palette")}>
        Search <kbd className="key">Ctrl K</kbd>
      </button>
      <button type="button" onClick={() => open("keys")}>
        Keys <kbd className="key">?</kbd>
      </button>
    </div>
  );
}

function StepButton({ action, icon }: { action: Action | undefined; icon: React.ReactNode }) {
  if (!action) return null;
  return (
    <button
      type="button"
      disabled={action.disabled}
      onClick={action.run}
      className="disabled:text-edge"
    >
      {icon}
      {action.words}
    </button>
  );
}

/** Says when the server is away; what is typed meanwhile is kept. */
function Connection() {
  const bench = useQuery({
    ...benchQuery(),
    refetchInterval: (query) => (query.state.error || query.state.fetchFailureCount ? 1500 : false),
  });
  if (!bench.failureReason) return null;
  return (
    <p role="status" className="border-b border-warn bg-sheet px-5 py-1.5 text-warn">
      {LOST}
    </p>
  );
}

/** Actions that are there in every view. */
function FrameActions() {
  const open = useOverlay((state) => state.open);
  const go = useGoActions();
  useActions("frame", [
    ...go,
    {
      id: "palette",
      words: "Search",
      key: "$mod+k",
      group: "Anywhere",
      run: () => open("palette"),
    },
    {
      id: "keys",
      words: "Show the keys",
      key: "?",
      group: "Anywhere",
      run: () => open("keys"),
    },
    { id: "glossary", words: "Glossary", group: "Anywhere", run: () => open("glossary") },
    { id: "theme", words: "Light or dark theme", key: "l", group: "Anywhere", run: toggleTheme },
  ]);
  return null;
}

/** A single character, which speech input or a slip may press (WCAG 2.1.4). */
function isCharacter(key: string | undefined) {
  return key?.length === 1;
}

const WRITES = "input, textarea, select, [contenteditable]";

/** The one listener for every key. */
function Keys() {
  const lists = useActionLists((state) => state.lists);
  useEffect(() => {
    const bindings: Record<string, (event: KeyboardEvent) => void> = {};
    for (const action of Object.values(lists).flat()) {
      if (!action.key) continue;
      const chord = action.key.includes("$mod");
      const { key } = action;
      const run = (event: KeyboardEvent) => {
        const at = event.target as Element | null;
        if (event.defaultPrevented || action.disabled) return;
        if (!chord && !useKeySettings.getState().singleKeys && isCharacter(key)) return;
        if (!chord && at?.closest(`${WRITES}, [role=listbox]`)) return;
        if (useOverlay.getState().shown && action.id !== "palette") return;
        event.preventDefault();
        action.run();
      };
      bindings[action.key] = run;
      if (action.key === "?") bindings["Shift+?"] = run; // on most keyboards, but not on all
    }
    return tinykeys(window, bindings);
  }, [lists]);
  return null;
}
