import { useQuery } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { useEffect, useLayoutEffect } from "react";
import { Outlet, ScrollRestoration, useLocation } from "react-router";
import { tinykeys } from "tinykeys";
import { LOST } from "../api/client";
import { benchQuery } from "../api/queries";
import { useLearningNews } from "../api/useLearningNews";
import { useHouseUnits } from "../house/houseUnits";
import { buttonStyle } from "../ui/Button";
import { Key } from "../ui/Key";
import { unitsNamed, useUnits } from "../ui/units";
import { type Action, useActionLists, useActions } from "./actions";
import { BeginLine } from "./BeginLine";
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
  useOverlayOfView();
  useLearningNews();
  useHouseUnits();
  const units = unitsNamed(useUnits()); // a view is drawn anew in other units
  const begins = useLocation().pathname.startsWith("/begin");
  return (
    <div className="grid [grid-template:minmax(48px,_auto)_minmax(0,_1fr)_/_112px_minmax(0,_1fr)] h-dvh max-phone:[grid-template:auto_minmax(0,_1fr)_48px_/_minmax(0,_1fr)] print:block print:h-auto print:overflow-visible">
      <a
        href="#main"
        className={buttonStyle(
          "plain",
          "absolute left-[-999px] z-60 bg-sheet focus:left-2 focus:top-2 print:hidden",
        )}
      >
        Skip to content
      </a>
      <div className="flex items-center pl-4 font-semibold text-[16px] leading-[1] font-sans tracking-[-0.01em] border-b border-b-rule max-phone:hidden print:hidden">
        Vapocline
      </div>
      <header className="flex items-center justify-between gap-4 min-w-0 py-0 pr-4 pl-5 border-b border-b-rule max-phone:flex-col max-phone:items-stretch max-phone:gap-1 max-phone:py-1.5 max-phone:px-3 print:hidden">
        {begins ? <BeginLine /> : <BenchLine />}
        <Tools />
      </header>
      <Rail />
      <div
        id="main"
        tabIndex={-1}
        className="flex flex-col min-w-0 min-h-0 overflow-y-auto focus:outline-none print:block print:h-auto print:overflow-visible"
      >
        <Connection />
        <Outlet key={units} />
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
    <div className="flex flex-none gap-4 text-small [&_button]:flex [&_button]:gap-1.25 [&_button]:items-center">
      <StepButton
        action={all.find((one) => one.id === "undo")}
        icon={<Undo2 size={16} aria-hidden="true" />}
      />
      <StepButton
        action={all.find((one) => one.id === "redo")}
        icon={<Redo2 size={16} aria-hidden="true" />}
      />
      <button type="button" onClick={() => open("palette")}>
        Search <Key>Ctrl K</Key>
      </button>
      <button type="button" onClick={() => open("keys")}>
        Keys <Key>?</Key>
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
const WRITES_WORDS =
  "textarea, select, [contenteditable], input:not([type=checkbox], [type=radio], [inputmode=decimal])";

/** Whether a single key means something else where it was pressed. */
function taken(action: Action, at: Element | null) {
  if (action.urgent) return at?.closest(WRITES_WORDS);
  return at?.closest(`${WRITES}, [role=listbox]`) || useOverlay.getState().shown;
}

/** What lies over a view goes with it: by the browser's Back, say. */
function useOverlayOfView() {
  const { pathname } = useLocation();
  useEffect(() => {
    const { shown, over, close } = useOverlay.getState();
    if (shown && over !== pathname) close(); // not one that was opened as soon as the path changed
  }, [pathname]);
}

/** The one listener for every key. */
function Keys() {
  const lists = useActionLists((state) => state.lists);
  useLayoutEffect(() => {
    const bindings: Record<string, (event: KeyboardEvent) => void> = {};
    for (const action of Object.values(lists).flat()) {
      if (!action.key) continue;
      const chord = action.key.includes("$mod");
      const { key } = action;
      const run = (event: KeyboardEvent) => {
        const at = event.target as Element | null;
        if (event.defaultPrevented || action.disabled) return;
        if (!chord && !useKeySettings.getState().singleKeys && isCharacter(key)) return;
        if (chord ? useOverlay.getState().shown && action.id !== "palette" : taken(action, at))
          return;
        event.preventDefault();
        if (event.repeat && action.order) return;
        action.run();
      };
      bindings[action.key] = run;
      if (action.key === "?") bindings["Shift+?"] = run; // on most keyboards, but not on all
    }
    return tinykeys(window, bindings);
  }, [lists]);
  return null;
}
