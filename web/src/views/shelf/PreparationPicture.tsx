import { useFieldValue } from "../../ui/DocumentForm";
import { Picture } from "./Picture";

const [WIDTH, HEIGHT] = [310, 180];
const [LEFT, RIGHT, RIM, FLOOR] = [60, 300, 70, 165];
const MIDDLE = (LEFT + RIGHT) / 2;
const MM = 4; // of drawing for a millimetre of a leveller
const LUMPS = [
  [100, 128],
  [150, 142],
  [190, 112],
  [215, 146],
  [255, 130],
] as const;

/** A basket as the preparation leaves it before the tamp, as the fields here say. */
export function PreparationPicture({ name }: { name: string }) {
  const sprayed = useFieldValue<boolean>("sprayed");
  const clumps = useFieldValue<string>("clumps");
  const heap = useFieldValue<string>("heap");
  const leveller = Number(useFieldValue<unknown>("leveller_mm")) || null;
  const kg = useFieldValue<unknown>("tamp_kg");
  const guided = useFieldValue<string>("tamp") !== "by hand";
  const depth = Math.min(leveller ?? 0, 12) * MM;
  const surface = RIM + (leveller ? depth : 14);
  const mound = heap === "as it falls" && !leveller;
  const said = [
    sprayed && "sprayed before grinding",
    clumps === "left" ? "clumps left" : `clumps ${clumps}`,
    mound ? "a heap" : "level",
    `tamped ${guided ? "guided by the rim" : "by hand"}${kg ? ` with ${kg} kg` : ""}`,
  ].filter((words) => words !== false);
  return (
    <Picture
      name={name}
      words={
        <>
          <ul>
            {said.map((words) => (
              <li key={words} className="first-letter:uppercase">
                {words}
              </li>
            ))}
          </ul>
          <p className="text-quiet">
            Put on the bench, it is asked for before each pull and kept with the shot. From three
            shots each, two ways used with one coffee are set beside each other.
          </p>
        </>
      }
    >
      <svg
        className="fit-plot max-w-[310px]!"
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label="A basket as it is prepared"
      >
        <path
          className="bed"
          d={
            mound
              ? `M${LEFT} ${FLOOR}V${RIM + 40}Q${MIDDLE} ${RIM - 55} ${RIGHT} ${RIM + 40}V${FLOOR}Z`
              : `M${LEFT} ${FLOOR}V${surface}H${RIGHT}V${FLOOR}Z`
          }
        />
        {clumps === "left" &&
          LUMPS.map(([x, y]) => <circle key={x} className="wall" cx={x} cy={y} r="7" />)}
        <path className="wall" d={`M${LEFT} ${RIM - 8}V${FLOOR}H${RIGHT}V${RIM - 8}`} />
        {clumps === "stirred" &&
          [-14, 0, 14].map((by) => (
            <path key={by} className="wall" d={`M${MIDDLE + by} ${RIM - 45}V${FLOOR - 18}`} />
          ))}
        {leveller && <path className="wall" d={`M${LEFT + 6} ${surface}H${RIGHT - 6}`} />}
        {leveller && (
          <text x={LEFT - 8} y={surface + 4} textAnchor="end">
            {leveller} mm
          </text>
        )}
      </svg>
    </Picture>
  );
}
