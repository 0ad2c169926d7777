import type { ReactNode } from "react";

/** What is under a hand while a shot runs, drawn in lines: 44 by 30. */
function Drawn({ children }: { children: ReactNode }) {
  return (
    <svg
      width="44"
      height="30"
      viewBox="0 0 44 30"
      className="fill-none stroke-current stroke-[1.5]"
      strokeLinecap="round"
      strokeLinejoin="round"
      aria-hidden="true"
    >
      {children}
    </svg>
  );
}

const GAUGE = (
  <>
    <path d="M6 24A12 12 0 1 1 26 24" />
    <path d="M16 18L23 11" />
    <circle cx="16" cy="18" r="1.5" />
  </>
);
const DROP = <path d="M33 7C36 12 38 14.500 38 17.500A5 5 0 0 1 28 17.500C28 14.500 30 12 33 7Z" />;

export const HAND_DRAWINGS = {
  pressure: <Drawn>{GAUGE}</Drawn>,
  flow: (
    <Drawn>
      {DROP}
      <path d="M6 10H21M6 16H17M6 22H13" />
    </Drawn>
  ),
  both: (
    <Drawn>
      {GAUGE}
      {DROP}
    </Drawn>
  ),
  valve: (
    <Drawn>
      <path d="M4 22H40M22 22V15" />
      <circle cx="22" cy="9" r="6" />
      <path d="M16 9H28M22 3V15" />
    </Drawn>
  ),
  "spring-lever": (
    <Drawn>
      <path d="M14 27V18L36 5" />
      <path d="M20 27L25 24.500L19 22L25 19.500L20 17.500" />
    </Drawn>
  ),
  "hand-lever": (
    <Drawn>
      <path d="M14 27V18L36 5" />
      <path d="M38 12V23M34.500 19.500L38 23L41.500 19.500" />
    </Drawn>
  ),
  stages: (
    <Drawn>
      <path d="M4 25V19H14V9H25V14H36V25Z" />
      <path d="M14 25V19M25 25V14" />
    </Drawn>
  ),
  switch: (
    <Drawn>
      <rect x="10" y="8" width="24" height="14" rx="7" />
      <circle cx="27" cy="15" r="4.500" />
    </Drawn>
  ),
} as const;

/** A cup to scale with so much in it, by the ratio of the drink. */
export function CupDrawing({ ratio }: { ratio: number }) {
  const filled = Math.min(20, 5 + 4.6 * ratio);
  return (
    <Drawn>
      <path d="M11 3H31L28.500 26H13.500Z" />
      <path d="M31 8C37 8 37 17 30 17" />
      <path
        d={`M${13.5 - filled / 11} ${26 - filled}H${28.5 + filled / 11}`}
        className="stroke-cup"
      />
    </Drawn>
  );
}

/** How dark a roast is, as a bar. */
export function RoastDrawing({ step }: { step: number }) {
  return (
    <svg width="8" height="26" aria-hidden="true" className="fill-weight">
      <rect x="1" y={26 - (6 + 5 * step)} width="6" height={6 + 5 * step} rx="1" />
    </svg>
  );
}
