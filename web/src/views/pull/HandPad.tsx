import { ArrowDown, ArrowUp } from "lucide-react";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import type { Orders } from "../../api/useOrders";
import { useActions } from "../../bench/actions";
import { unitOf } from "../../profile/words";
import { plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { styles } from "../../ui/styles";

const NAMES: Record<string, string> = {
  pressure: "Pressure",
  flow: "Flow",
  valve: "Valve",
  force: "Lever",
};

/** A level held by hand: by the pointer, the wheel, or the arrow keys. */
export function HandPad(props: {
  control: string;
  level: number | null;
  target: number | null;
  top: number;
  step: number;
  orders: Orders;
  disabled: boolean;
}) {
  const { control, top, step, orders, target, disabled } = props;
  // What the hand says counts at once; what the machine reports, only while the hand rests
  // and no level is on its way: on a slow line the next step would start from an old one.
  const [held, setHeld] = useState<number>();
  const rest = useRef<ReturnType<typeof setTimeout>>(undefined);
  const level = held ?? props.level ?? 0;
  const known = useRef(level);
  known.current = level;
  const track = useRef<HTMLDivElement>(null);
  const unit = unitOf(control);

  function hold(to: number) {
    if (disabled) return;
    const next = Math.min(top, Math.max(0, Number(to.toFixed(3))));
    known.current = next; // the next key may come before the next frame
    setHeld(next);
    clearTimeout(rest.current);
    orders.hold(next).then(() => {
      clearTimeout(rest.current);
      rest.current = setTimeout(() => setHeld(undefined), 1500);
    });
  }
  useEffect(() => () => clearTimeout(rest.current), []);
  const latest = useRef(hold);
  latest.current = hold;

  useEffect(() => {
    const element = track.current;
    if (!element) return;
    const turn = (event: WheelEvent) => {
      event.preventDefault(); // the page stays where it is while the lever moves
      latest.current(known.current - Math.sign(event.deltaY) * step);
    };
    element.addEventListener("wheel", turn, { passive: false });
    return () => element.removeEventListener("wheel", turn);
  }, [step]);

  const by = (steps: number) => hold(known.current + steps * step);
  useActions("pad", [
    {
      id: "pad-up",
      words: `${NAMES[control]}: ${plain(step)} ${unit} more`,
      key: "ArrowUp",
      group: "Here",
      disabled,
      run: () => by(1),
    },
    {
      id: "pad-down",
      words: `${NAMES[control]}: ${plain(step)} ${unit} less`,
      key: "ArrowDown",
      group: "Here",
      disabled,
      run: () => by(-1),
    },
    {
      id: "pad-far-up",
      words: `${NAMES[control]}: five steps more`,
      key: "Shift+ArrowUp",
      group: "Here",
      disabled,
      run: () => by(5),
    },
    {
      id: "pad-far-down",
      words: `${NAMES[control]}: five steps less`,
      key: "Shift+ArrowDown",
      group: "Here",
      disabled,
      run: () => by(-5),
    },
  ]);

  function follow(event: PointerEvent<HTMLDivElement>) {
    if (event.buttons === 0 && event.type !== "pointerdown") return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const box = event.currentTarget.getBoundingClientRect();
    hold((top * (box.bottom - event.clientY)) / box.height);
  }

  const share = (value: number) => `${(100 * Math.min(top, Math.max(0, value))) / top}%`;
  return (
    <div className="grid grid-cols-[72px_minmax(0,_1fr)] gap-3.5 min-h-44" data-control={control}>
      <div
        ref={track}
        className="relative border border-edge rounded-sm bg-sheet cursor-ns-resize touch-none"
        role="slider"
        tabIndex={0}
        aria-label={`${NAMES[control]} by hand`}
        aria-orientation="vertical"
        aria-valuemin={0}
        aria-valuemax={top}
        aria-valuenow={Number(level.toFixed(2))}
        aria-valuetext={`${level.toFixed(1)} ${unit}`}
        aria-disabled={disabled}
        onPointerDown={follow}
        onPointerMove={follow}
      >
        <span
          className="absolute inset-x-0 bottom-0 bg-action border-t-3 border-t-ink rounded-[0_0_3px_3px]"
          style={{ height: share(level) }}
        />
        {target !== null && (
          <span
            className="absolute -left-1.5 -right-1.5 h-0 border-t-3 border-t-pressure"
            style={{ bottom: share(target) }}
            aria-hidden="true"
          />
        )}
      </div>
      <p className="flex flex-col justify-center gap-1" data-part="pad-words">
        <span className="text-quiet">{NAMES[control]} by hand</span>
        <b className={styles.reading} data-reading="Level">
          {level.toFixed(control === "valve" ? 2 : 1)} <small>{unit}</small>
        </b>
        {target !== null && (
          <span>
            wanted{" "}
            <b>
              {target.toFixed(control === "valve" ? 2 : 1)} {unit}
            </b>
          </span>
        )}
        <span className="text-quiet">
          Drag, turn the wheel, or{" "}
          <Key className="inline-flex">
            <ArrowUp size={12} aria-label="Up" />
          </Key>{" "}
          <Key className="inline-flex">
            <ArrowDown size={12} aria-label="Down" />
          </Key>
        </span>
      </p>
    </div>
  );
}
