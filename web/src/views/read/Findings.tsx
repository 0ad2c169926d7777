import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { type KeyboardEvent, type ReactNode, useEffect, useRef } from "react";
import { Link } from "react-router";
import type { Finding, Shot, ShotReading } from "../../api/client";
import { cn, styles } from "../../ui/styles";
import { sorted } from "./findingPlaces";
import { suggestionPath } from "./suggestion";

interface Props {
  shot: Shot;
  read: ShotReading;
  open: number | undefined;
  choose: (index: number | undefined) => void;
  /** Light a finding's span while the pointer rests on it. */
  light: (index: number | undefined) => void;
}

/** What the curve says, by size: the open finding with its evidence; then notes, folded. */
export function Findings({ shot, read, open, choose, light }: Props) {
  const { heading, notes } = sorted(read.reading.findings);
  const untold = read.reading.cannot_tell;
  return (
    <section aria-label="What the curve says" className="grid gap-0">
      <h2 className="mb-1">What the curve says</h2>
      {heading.length === 0 && (
        <p className="pb-2 text-quiet">
          {notes.length === 0 ? "Nothing stands out." : "Nothing beyond normal variation."}
        </p>
      )}
      <ul>
        {heading.map((finding, i) => (
          <Item
            // biome-ignore lint/suspicious/noArrayIndexKey: a finding has no name but its place
            key={i}
            {...{ finding, shot, number: i + 1, open: i === open }}
            toggle={() => choose(i === open ? undefined : i)}
            light={(on) => light(on ? i : undefined)}
          />
        ))}
      </ul>
      {notes.length > 0 && (
        <Fold
          words={`${notes.length} ${notes.length === 1 ? "note" : "notes"}`}
          chosen={open !== undefined && open >= heading.length}
        >
          <ul>
            {notes.map((finding, i) => {
              const at = heading.length + i;
              return (
                <Item
                  // biome-ignore lint/suspicious/noArrayIndexKey: as above
                  key={i}
                  {...{ finding, shot, number: at + 1, open: at === open }}
                  toggle={() => choose(at === open ? undefined : at)}
                  light={(on) => light(on ? at : undefined)}
                />
              );
            })}
          </ul>
        </Fold>
      )}
      {untold.length > 0 && (
        <Fold words={`${untold.length} cannot be told`}>
          <ul className="grid gap-1 pb-2 text-quiet" data-part="untold">
            {reasons(untold).map(([because, kinds]) => (
              <li key={because}>
                <span className="text-ink">{kinds.join(", ")}</span>: {because}.
              </li>
            ))}
          </ul>
        </Fold>
      )}
    </section>
  );
}

const NAMES: Record<Finding["kind"], string> = {
  record: "gaps",
  meter: "flow meter",
  ran_like: "grind it ran like",
  opened: "a channel",
  run_away: "run-away",
  early_resistance: "early resistance",
  loosened: "loosening",
  not_reached: "commands not reached",
  overshoot: "overshoot",
  water_count: "water that stays behind",
  late_meeting: "late meeting",
  choked: "choking",
  over_soaked: "soak",
  first_drip: "first drip",
  level: "level flow",
  stop: "weight at the stop",
  by_hand: "timing by hand",
  pre_infusion_end: "end of pre-infusion",
  temperature: "temperature",
  wetting: "wetting",
};

/** The kinds that cannot be told, gathered by why. */
function reasons(untold: ShotReading["reading"]["cannot_tell"]) {
  const by = new Map<string, string[]>();
  for (const { kind, because } of untold)
    by.set(because, [...(by.get(because) ?? []), NAMES[kind]]);
  return [...by];
}

export function Fold(props: {
  words: string;
  /** Something in it is chosen: it stands open. */
  chosen?: boolean;
  children: ReactNode;
}) {
  const { words, chosen = false, children } = props;
  return (
    <Disclosure as="div" className="border-t border-rule">
      {({ open }) => (
        <>
          <DisclosureButton className="flex w-full justify-between py-2 text-quiet">
            <span>{words}</span>
            <span className="underline decoration-rule underline-offset-4">
              {open || chosen ? "hide" : "show"}
            </span>
          </DisclosureButton>
          {chosen && !open ? <div>{children}</div> : <DisclosurePanel>{children}</DisclosurePanel>}
        </>
      )}
    </Disclosure>
  );
}

function Item(props: {
  finding: Finding;
  shot: Shot;
  number: number;
  open: boolean;
  toggle: () => void;
  light: (on: boolean) => void;
}) {
  const { finding, shot, number, open, toggle, light } = props;
  const ref = useRef<HTMLLIElement>(null);
  useEffect(() => {
    if (open) ref.current?.scrollIntoView({ block: "nearest" });
  }, [open]);
  return (
    <li
      ref={ref}
      className="border-t border-rule py-2"
      data-finding={finding.kind}
      onPointerEnter={() => light(true)}
      onPointerLeave={() => light(false)}
    >
      <button
        type="button"
        className="grid w-full grid-cols-[26px_1fr] gap-y-0.5 text-left"
        aria-expanded={open}
        onClick={toggle}
        onKeyDown={(event) => walk(event, ref.current)}
      >
        <span
          className={cn(
            "mt-px grid h-4.5 w-4.5 place-items-center rounded-[3px] border text-[12px] leading-none font-semibold",
            open ? "border-warn bg-warn text-sheet" : "border-ink",
          )}
          aria-hidden="true"
        >
          {number}
        </span>
        <span className="flex flex-wrap items-baseline justify-between gap-x-2">
          <b>{finding.title}</b>
          <span className="text-quiet tabular-nums">{spanWords(finding)}</span>
        </span>
        <span className="col-start-2 text-quiet">{finding.words}</span>
      </button>
      {open && <Opened finding={finding} shot={shot} />}
    </li>
  );
}

/** The arrow keys go from finding to finding. */
function walk(event: KeyboardEvent, item: HTMLLIElement | null) {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const all = [...document.querySelectorAll<HTMLLIElement>("[data-finding]")];
  const next = by && item ? all[all.indexOf(item) + by] : undefined;
  if (!next) return;
  event.preventDefault();
  next.querySelector("button")?.focus();
}

function spanWords({ from_s, to_s }: Finding) {
  return to_s - from_s < 0.3
    ? `${from_s.toFixed(1)} s`
    : `${from_s.toFixed(1)} to ${to_s.toFixed(1)} s`;
}

const SURE: Record<Finding["sure"], string> = {
  sure: "Sure.",
  likely: "Likely.",
  possible: "Possible.",
};

/** Evidence, what schools make of it, and the way into Plan. */
function Opened({ finding, shot }: { finding: Finding; shot: Shot }) {
  const { change, evidence = [] } = finding;
  return (
    <div className="grid gap-1.5 pt-1.5 pl-6.5">
      {evidence.length > 0 && (
        <table className="w-full [&_td]:pl-2 [&_td]:text-right [&_td]:font-mono [&_td]:text-[13px] [&_td]:tracking-[-0.02em] [&_th]:text-left [&_th]:font-normal">
          {evidence.some((line) => line.usual) && (
            <thead className="text-quiet">
              <tr>
                <th scope="col">
                  <span className="sr-only">What</span>
                </th>
                <th scope="col" className="pl-2 text-right!">
                  was
                </th>
                <th scope="col" className="pl-2 text-right!">
                  usual
                </th>
              </tr>
            </thead>
          )}
          <tbody>
            {evidence.map((line) => (
              <tr key={line.what} data-evidence={line.what}>
                <th scope="row">{line.what}</th>
                <td>{line.was}</td>
                <td className="text-quiet">{line.usual}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p className="text-quiet">
        {finding.weight === "finding" ? SURE[finding.sure] : "A note: it may be normal variation."}{" "}
        {finding.how}
      </p>
      {finding.schools && <p className="text-quiet">{finding.schools}</p>}
      {change && (
        <p>
          <Link className={styles.word} to={suggestionPath(shot, change)}>
            Change this in Plan
          </Link>
          <span className="text-quiet"> {change.words}</span>
        </p>
      )}
    </div>
  );
}
