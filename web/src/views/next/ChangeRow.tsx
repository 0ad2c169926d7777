import type { NextChange } from "../../api/client";
import { OddsBar } from "../../ui/OddsBar";
import { cn } from "../../ui/styles";
import { grams } from "../../ui/units";
import { BeforeAfter } from "./BeforeAfter";

export const LINES = [
  { line: "bitterness", name: "bitter" },
  { line: "sweetness", name: "sweet" },
  { line: "acidity", name: "acid" },
  { line: "body", name: "body" },
] as const;
type Line = (typeof LINES)[number]["line"];

/** One change: in words, who is for it and who against, its curve, and what it should do. */
export function ChangeRow(props: {
  change: NextChange;
  number?: number;
  current: boolean;
  choose: () => void;
}) {
  const { change, number, current, choose } = props;
  const [voice] = change.voices;
  const against = change.voices.find((one) => one.against)?.against;
  return (
    <li data-change={change.move}>
      <button
        type="button"
        aria-current={current || undefined}
        className={cn(
          "grid w-full grid-cols-[26px_minmax(220px,1fr)_96px_repeat(4,46px)_86px_64px] items-start gap-x-2.5 border-b border-b-rule border-l-3 border-l-transparent px-3 py-2.5 text-left max-narrow:grid-cols-[26px_minmax(0,1fr)_96px]",
          current && "border-l-action bg-tint",
        )}
        onClick={choose}
      >
        <span
          className={cn(
            "grid h-5 w-5 place-items-center rounded-[3px] border border-ink text-small",
            current && "border-action bg-action text-on-action",
          )}
        >
          {number ?? ""}
        </span>
        <span className="min-w-0">
          <b className="block">{change.words}</b>
          <span className="block text-quiet">{change.details}</span>
          {voice && (
            <span className={cn("block text-action", !current && "line-clamp-1")}>
              + {voice.reason}
            </span>
          )}
          {against && (
            <span className={cn("block text-quiet", !current && "line-clamp-1")}>− {against}</span>
          )}
        </span>
        <BeforeAfter change={change} width={104} height={44} />
        {LINES.map(({ line, name }) => (
          <span key={line} className="max-narrow:hidden">
            <Steps name={name} steps={change.expected[line as Line]} />
          </span>
        ))}
        <span className="max-narrow:hidden">
          <Pulls change={change} />
        </span>
        <span className="max-narrow:hidden">
          {change.cups_to_see === null
            ? "too small to see"
            : change.cups_to_see === 1
              ? "1 cup"
              : `${change.cups_to_see} cups`}
          {change.purge_g > 0 && (
            <span className="block text-quiet">purge {grams(change.purge_g, 0)}</span>
          )}
        </span>
      </button>
    </li>
  );
}

const WIDTH = 44;
const MOST = 2;

/** By how much a line should move: the dotted box is the smallest difference one can tell. */
function Steps({ name, steps }: { name: string; steps: number | undefined }) {
  const x = (value: number) =>
    WIDTH / 2 + (WIDTH / 2) * (Math.min(MOST, Math.max(-MOST, value)) / MOST);
  const words =
    steps === undefined
      ? `${name}: nothing is said`
      : `${name}: ${steps > 0 ? "+" : ""}${steps.toFixed(1)} noticeable steps`;
  return (
    <span className="grid justify-items-center gap-0.5 text-small text-quiet" title={words}>
      {name}
      <svg width={WIDTH} height="14" role="img" aria-label={words}>
        <rect
          x={x(-1)}
          width={x(1) - x(-1)}
          y="1.5"
          height="11"
          fill="none"
          stroke="var(--edge)"
          strokeDasharray="2 2"
        />
        <line x1={x(0)} x2={x(0)} y1="0" y2="14" stroke="var(--edge)" />
        {steps !== undefined && (
          <rect
            x={Math.min(x(0), x(steps))}
            width={Math.max(1.5, Math.abs(x(steps) - x(0)))}
            y="4"
            height="6"
            fill={steps < 0 ? "var(--pressure)" : "var(--action)"}
          />
        )}
      </svg>
    </span>
  );
}

/** Own pulls for and against, and how probably it brings nearer what is off. */
function Pulls({ change }: { change: NextChange }) {
  const { pulls_for: pro, pulls_against: con, chance_nearer, chance_further } = change;
  if (chance_nearer === null || chance_further === null)
    return <span className="text-quiet">not tried yet</span>;
  const chances = {
    more: chance_nearer,
    alike: Math.max(0, 1 - chance_nearer - chance_further),
    less: chance_further,
  };
  return (
    <span>
      <OddsBar chances={chances} width={86} what={["nearer", "no change", "further"]} />
      <span className="block">
        {pro} for, {con} against
      </span>
    </span>
  );
}
