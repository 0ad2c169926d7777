import type { Compared, Form, Tasted } from "../../api/client";

type Attribute = Form["attributes"][number];

/** The first cup both shots were tasted as: the same warmth, served the same way. */
function alike({ first, second }: Compared): [Tasted, Tasted] | undefined {
  for (const a of first.tastings) {
    const b = second.tastings.find((one) => one.warmth === a.warmth && one.served === a.served);
    if (b) return [a, b];
  }
  return undefined;
}

/** Each attribute's score in both cups, with the slope between them. */
export function TasteSlopes({
  compared,
  attributes,
}: {
  compared: Compared;
  attributes: Attribute[];
}) {
  const cups = alike(compared);
  if (!cups) {
    return (
      <p className="text-quiet">
        Not tasted alike yet: score both at the same warmth, served the same way.
      </p>
    );
  }
  const [a, b] = cups;
  return (
    <>
      <p className="text-[13px] text-quiet">
        both {a.warmth}, {a.served === "milk" ? "in milk" : "straight"}
      </p>
      <ul>
        {attributes.map((attribute) => (
          <Slope
            key={attribute.field}
            name={attribute.name}
            from={a[attribute.field as "liking"] ?? null}
            to={b[attribute.field as "liking"] ?? null}
          />
        ))}
      </ul>
    </>
  );
}

const WIDTH = 96;

function Slope({ name, from, to }: { name: string; from: number | null; to: number | null }) {
  const y = (score: number) => 18 - score * 1.6;
  const moved = from !== null && to !== null && from !== to;
  return (
    <li className={`slope ${name === "Liking" ? "font-semibold" : ""}`} data-attribute={name}>
      <span>{name}</span>
      <span className="text-right tabular-nums">{from ?? "–"}</span>
      <svg
        width={WIDTH}
        height="20"
        aria-hidden="true"
        className={moved ? "text-ink" : "text-edge"}
      >
        {from !== null && to !== null && (
          <path
            d={`M6 ${y(from)}L${WIDTH - 6} ${y(to)}`}
            className="fill-none stroke-current stroke-[1.5]"
          />
        )}
        {from !== null && (
          <circle cx="6" cy={y(from)} r="2.5" className="fill-sheet stroke-current" />
        )}
        {to !== null && <circle cx={WIDTH - 6} cy={y(to)} r="2.5" className="fill-current" />}
      </svg>
      <span className="tabular-nums">{to ?? "–"}</span>
    </li>
  );
}
