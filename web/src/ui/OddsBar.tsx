interface Chances {
  more: number;
  alike: number;
  less: number;
}

/**
 * How probably something is liked more, alike or less: the bar fills from its ends as cups come.
 * What is undecided stays empty in the middle.
 */
export function OddsBar(props: {
  chances: Chances;
  width?: number;
  /** What each of more, alike and less is called. */
  what?: [string, string, string];
}) {
  const { chances, width = 120, what = ["liked more", "alike", "less"] } = props;
  const { more, alike, less } = chances;
  const words = [more, alike, less]
    .map((chance, i) => `${what[i]} ${Math.round(100 * chance)} %`)
    .join(", ");
  return (
    <svg width={width} height="12" role="img" aria-label={words} className="shrink-0">
      <title>{words}</title>
      <rect x="0.5" y="0.5" width={width - 1} height="11" fill="none" stroke="var(--edge)" />
      <rect x="1" y="1" width={(width - 2) * less} height="10" fill="var(--warn)" />
      <rect
        x={1 + (width - 2) * (1 - more)}
        y="1"
        width={(width - 2) * more}
        height="10"
        fill="var(--action)"
      />
      <line x1={width / 2} x2={width / 2} y1="0" y2="12" stroke="var(--ink)" strokeOpacity="0.4" />
    </svg>
  );
}
