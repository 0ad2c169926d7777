import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answered, client, type Machine, type ValveFlow } from "../../api/client";
import { valveQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useResting } from "../../profile/useForecast";
import { moment, plain } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { amountNumber, readUnit } from "../../ui/units";
import { MeasuredPoints } from "./FitPlot";
import { Picture, PictureToCome } from "./Picture";
import { curvePath, LARGE, PlotFrame } from "./PlotFrame";

/** A valve's free flow by turns, asked both ways. */
export function ValvePicture({ machine }: { machine: Machine }) {
  const { data: valve, error } = useQuery(valveQuery(machine.id, machine.etag));
  if (!valve) return <PictureToCome name="Its valve" error={error} height={LARGE} />;
  const { turns, free_flow_ml_s, measured, error_ml_s, measured_at } = valve;
  const xs = [...turns, ...measured.map((one) => one.x)];
  const ys = [...free_flow_ml_s, ...measured.map((one) => one.y)];
  return (
    <Picture
      name="Its valve"
      words={
        <>
          <Ask machine={machine} />
          <p className="text-quiet">
            {error_ml_s == null || measured_at == null
              ? "It was not calibrated here: nobody knows how far these numbers are off. Let it run into a glass at a few positions, below."
              : `Calibrated ${moment(measured_at)}; a position lies ${error_ml_s.toFixed(2)} mL/s off the curve drawn without it, root mean square.`}
          </p>
        </>
      }
    >
      <PlotFrame
        label={`Free flow by turns: ${turns.map((at, i) => `${plain(free_flow_ml_s[i] ?? 0)} mL/s at ${plain(at)}`).join(", ")}`}
        xName="position, turns"
        yName="free flow, mL/s"
        xs={[Math.min(...xs), Math.max(...xs)]}
        ys={[0, Math.max(...ys)]}
        height={LARGE}
      >
        {(plot) => (
          <>
            <path className="curve" d={curvePath(plot, turns, free_flow_ml_s)} />
            <MeasuredPoints plot={plot} points={measured} />
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

type Way = "turns" | "free_flow_ml_s";

/** Which flow at a position, or which position for a flow; and what a glass under it weighs. */
function Ask({ machine }: { machine: Machine }) {
  const control = machine.control.kind === "valve" ? machine.control : undefined;
  const middle = control?.turns[Math.floor(control.turns.length / 2)] ?? 1;
  const [asked, setAsked] = useState<{ way: Way; value: Typed }>({ way: "turns", value: middle });
  const rested = useResting(JSON.stringify(asked));
  const { data, error } = useQuery({
    queryKey: ["valve", machine.id, machine.etag, "asked", rested],
    queryFn: ({ signal }) => {
      const { way, value } = JSON.parse(rested) as typeof asked;
      return answered(
        client.POST("/api/machines/{machine_id}/valve", {
          params: { path: { machine_id: machine.id } },
          body: { [way]: value } as { turns: number },
          signal,
        }),
      );
    },
    enabled: asked.value !== null,
    retry: false,
  });
  const shown = (way: Way) => {
    if (asked.way === way) return asked.value;
    return data ? data[way] : null;
  };
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap items-start gap-1.5 leading-7">
        <NumberField
          label="Position, turns"
          value={shown("turns")}
          onChange={(value) => setAsked({ way: "turns", value })}
          step={0.05}
          width={64}
        />
        <span>turns give</span>
        <NumberField
          label="Free flow, mL/s"
          value={shown("free_flow_ml_s")}
          onChange={(value) => setAsked({ way: "free_flow_ml_s", value })}
          step={0.1}
          width={64}
        />
        <span>mL/s</span>
      </div>
      {error && asked.value !== null ? (
        <FieldError>{failureWords(error) ?? ""}</FieldError>
      ) : (
        <p role="status">{data && <Weighed flow={data} />}</p>
      )}
    </div>
  );
}

function Weighed({ flow }: { flow: ValveFlow }) {
  const within =
    flow.grams_30_s_error == null ? "" : ` ± ${amountNumber(flow.grams_30_s_error, "g", 1)}`;
  return (
    <>
      A glass under it for 30 s weighs{" "}
      <b>
        {amountNumber(flow.grams_30_s, "g", 0)}
        {within} {readUnit("g")}
      </b>
      {flow.turns_error != null &&
        `; the position is known to ± ${flow.turns_error.toFixed(2)} turns`}
      .
    </>
  );
}
