import type { Machine } from "../../api/client";
import { Picture } from "./Picture";

const SHOWN = 5; // where any number fits

/** The list of stages that one fills in at such a machine, empty. */
export function StagesPicture({ machine }: { machine: Machine }) {
  const { control, program, steps } = machine;
  if (control.kind !== "staged") return null;
  const count = program.stages ?? SHOWN;
  const level = control.holds === "pressure" ? "Pressure, bar" : "Flow, mL/s";
  const step = control.holds === "pressure" ? steps?.pressure_bar : steps?.flow_ml_s;
  return (
    <Picture
      name="Its stages"
      words={
        <>
          <p>
            {program.stages == null ? "Any number of stages" : `${count} stages`}, each with one{" "}
            {control.holds} held. The numbers are keyed in before the shot; while it runs only a
            stop is left.
          </p>
          <p className="text-quiet">
            A level goes by {step} {control.holds === "pressure" ? "bar" : "mL/s"}, a time by{" "}
            {steps?.seconds} s.
          </p>
        </>
      }
    >
      <table
        className="w-full max-w-[520px] border-collapse [&_th]:py-1.5 [&_th]:px-2.5 [&_th]:text-left [&_th]:font-normal [&_th]:text-quiet [&_td]:h-8 [&_td]:border [&_td]:border-rule"
        aria-label="The empty list of stages"
      >
        <thead>
          <tr>
            <th scope="col">Stage</th>
            <th scope="col">{level}</th>
            <th scope="col">Time, s</th>
          </tr>
        </thead>
        <tbody>
          {Array.from({ length: count }, (_, i) => i + 1).map((number) => (
            <tr key={number}>
              <th scope="row">{number}</th>
              <td />
              <td />
            </tr>
          ))}
        </tbody>
      </table>
    </Picture>
  );
}
