import { X } from "lucide-react";
import { Button } from "../ui/Button";
import { Cell, useFieldValue, useSetPart } from "../ui/DocumentForm";
import type { Typed } from "../ui/NumberField";
import { styles } from "../ui/styles";

const FEWEST = 2;

/** The points of the grinder in the form here, and how to write them. */
export function usePoints() {
  const settings = useFieldValue<Typed[]>("settings") ?? [];
  const sizes = useFieldValue<Typed[]>("grind_um") ?? [];
  const setPart = useSetPart();
  const write = (points: [Typed, Typed][]) => {
    setPart(
      "settings",
      points.map(([setting]) => setting),
    );
    setPart(
      "grind_um",
      points.map(([, size]) => size),
    );
  };
  const points = settings.map((setting, i): [Typed, Typed] => [setting, sizes[i] ?? null]);
  return { points, write };
}

/** The points of a grinder as a table: a setting, and the size it gives. */
export function GrinderPoints() {
  const { points, write } = usePoints();
  /** A point typed at the end goes where its setting belongs. */
  const sort = () => {
    const known = points.every(([setting]) => typeof setting === "number");
    const sorted = points.toSorted(([a], [b]) => Number(a) - Number(b));
    if (known && sorted.some((one, i) => one !== points[i])) write(sorted);
  };
  return (
    <div>
      <table
        className={styles.rows}
        aria-label="Points"
        onBlur={(event) => {
          if (!event.currentTarget.contains(event.relatedTarget)) sort();
        }}
      >
        <thead>
          <tr>
            <th scope="col">
              <span className="sr-only">Point</span>
            </th>
            <th scope="col">Setting</th>
            <th scope="col">Size, µm</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {points.map((_, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a point is its place
            <tr key={i}>
              <th scope="row">{i + 1}</th>
              <td>
                <Cell path={`settings.${i}`} label={`Setting ${i + 1}`} step={0.5} />
              </td>
              <td>
                <Cell path={`grind_um.${i}`} label={`Size ${i + 1}`} step={5} />
              </td>
              <td>
                {points.length > FEWEST && (
                  <Button
                    aria-label={`Remove point ${i + 1}`}
                    onClick={() => write(points.toSpliced(i, 1))}
                  >
                    <X size={14} aria-hidden="true" />
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button className="mt-2" onClick={() => write([...points, [null, null]])}>
        Add a point
      </Button>
    </div>
  );
}
