import { useQuery } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, Trash2 } from "lucide-react";
import { useState } from "react";
import { houseChecksQuery, useChooseHouseChecks } from "../api/checks";
import type { HouseChecks, OwnLine } from "../api/client";
import { Button } from "../ui/Button";
import { Choice } from "../ui/Choice";
import { ErrorNote, Loading, PageError } from "../ui/Messages";
import { Modal } from "../ui/Modal";
import { styles } from "../ui/styles";

const WHEN = [
  { value: "every time", words: "every time" },
  { value: "each morning", words: "before the day's first pull" },
  { value: "after a change", words: "after a change on the bench" },
  { value: "never", words: "never" },
] as const satisfies readonly { value: OwnLine["when"]; words: string }[];

/** Standard checks that only the barista can answer, in the order of work. */
const OURS = [
  { value: "portafilter", words: "how warm the portafilter is" },
  { value: "flush", words: "the group is flushed" },
  { value: "basket", words: "the basket is wiped dry" },
  { value: "bag", words: "the right coffee" },
  { value: "grind", words: "the grind" },
  { value: "tamp", words: "tamped, the rim clean" },
  { value: "cup", words: "a warm cup" },
] as const;

/** Which check one of the house can come after. */
const PLACES = [
  { value: "warm", words: "warm" },
  { value: "water", words: "water" },
  ...OURS.slice(0, 5),
  { value: "dose", words: "the dose" },
  ...OURS.slice(5),
] as const satisfies readonly { value: OwnLine["after"]; words: string }[];

const NEW_LINE: OwnLine = { words: "", after: "tamp", when: "every time" };

/** What the house asks before the pump starts, from the checks themselves. */
export function ChecksDialog({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Modal open={open} close={close} wide title="Start checks">
      <HouseChecksForm close={close} />
    </Modal>
  );
}

/** What the house asks before the pump starts. */
export function HouseChecksForm({ close }: { close?: () => void }) {
  const kept = useQuery(houseChecksQuery());
  if (kept.isError) return <PageError error={kept.error} retry={() => kept.refetch()} />;
  if (!kept.data) return <Loading what="the checks" />;
  return <Lines start={kept.data} close={close} />;
}

function Lines({ start, close }: { start: HouseChecks; close: (() => void) | undefined }) {
  const [when, setWhen] = useState(start.when ?? {});
  const [own, setOwn] = useState(start.own);
  const choose = useChooseHouseChecks();
  const change = (at: number, part: Partial<OwnLine>) =>
    setOwn(own.map((one, i) => (i === at ? { ...one, ...part } : one)));
  const swap = (at: number, by: number) => {
    const moved = [...own];
    const [one] = moved.splice(at, 1);
    if (one) moved.splice(at + by, 0, one);
    setOwn(moved);
  };
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        choose.mutate({ when, own }, { onSuccess: () => close?.() });
      }}
    >
      <p className="text-quiet">
        Readings from devices, anything missing, and the dose are always shown.
      </p>
      <ul className="grid gap-1.5" aria-label="Standard checks">
        {OURS.map((one) => (
          <li key={one.value} className="flex flex-wrap items-center gap-2">
            <span className="min-w-60 first-letter:uppercase">{one.words}</span>
            <Choice
              label={`When: ${one.words}`}
              value={when[one.value] ?? "every time"}
              options={WHEN}
              onChange={(value) => setWhen({ ...when, [one.value]: value })}
            />
          </li>
        ))}
      </ul>
      <ul className="grid gap-1.5" aria-label="Your own checks">
        {own.map((one, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a check is its place
          <li key={at} className="flex flex-wrap items-center gap-2">
            <input
              className={`${styles.textField} min-w-60 flex-1`}
              aria-label={`Check ${at + 1}`}
              maxLength={60}
              value={one.words}
              onChange={(event) => change(at, { words: event.target.value })}
            />
            after
            <Choice
              label={`Check ${at + 1} comes after`}
              value={one.after}
              options={PLACES}
              onChange={(after) => change(at, { after })}
            />
            <Choice
              label={`Check ${at + 1}, when`}
              value={one.when}
              options={WHEN}
              onChange={(value) => change(at, { when: value })}
            />
            <Button
              aria-label={`Check ${at + 1} up`}
              disabled={at === 0}
              onClick={() => swap(at, -1)}
            >
              <ArrowUp size={14} />
            </Button>
            <Button
              aria-label={`Check ${at + 1} down`}
              disabled={at === own.length - 1}
              onClick={() => swap(at, 1)}
            >
              <ArrowDown size={14} />
            </Button>
            <Button
              aria-label={`Remove check ${at + 1}`}
              onClick={() => setOwn(own.filter((_one, i) => i !== at))}
            >
              <Trash2 size={14} />
            </Button>
          </li>
        ))}
      </ul>
      {choose.error && <ErrorNote error={choose.error} />}
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => setOwn([...own, NEW_LINE])}>Add a check</Button>
        <span className="flex-1" />
        {close && <Button onClick={close}>Cancel</Button>}
        {!close && choose.isSuccess && (
          <span role="status" className="leading-7 text-quiet">
            Saved
          </span>
        )}
        <Button kind={close ? "main" : "plain"} type="submit" disabled={choose.isPending}>
          Save
        </Button>
      </div>
    </form>
  );
}
