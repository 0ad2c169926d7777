import { failureWords } from "../../api/refusals";
import { HouseChecksForm } from "../../house/HouseChecks";
import { HouseLines } from "../../house/HouseLines";
import { useChooseHouseUnits } from "../../house/houseUnits";
import { FieldError } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { Segments } from "../../ui/Segments";
import { DEGREES, DRINK_MEASURES, type Units, useUnits, VOLUMES, WEIGHTS } from "../../ui/units";

/** What the house chose for everybody: units, start checks, the tasting form's lines. */
export function HousePage() {
  return (
    <div className="grid content-start gap-3 min-h-0 overflow-y-auto py-2.5 max-phone:overflow-visible">
      <Panel name="Units">
        <HouseUnits />
      </Panel>
      <Panel name="Lines of the tasting form">
        <HouseLines />
      </Panel>
      <Panel name="Start checks">
        <HouseChecksForm />
      </Panel>
    </div>
  );
}

function HouseUnits() {
  const { house, chosen } = useUnits();
  const choose = useChooseHouseUnits();
  const set = (part: Partial<Units>) => choose.mutate({ ...house, ...part });
  const own = Object.entries(chosen).some(
    ([name, unit]) => unit !== undefined && unit !== house[name as keyof Units],
  );
  return (
    <div className="grid gap-2">
      <p className="text-quiet">
        What everybody reads and types here, on every page, print and card. What is stored is °C, g
        and mL. A browser can choose its own, in the bench line.
      </p>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <Segments
          label="Temperatures in"
          value={house.temperature}
          options={DEGREES}
          onChange={(temperature) => set({ temperature })}
        />
        <Segments
          label="Weights in"
          value={house.weight}
          options={WEIGHTS}
          onChange={(weight) => set({ weight })}
        />
        <Segments
          label="Volumes in"
          value={house.volume}
          options={VOLUMES}
          onChange={(volume) => set({ volume })}
        />
        <span className="flex items-center gap-2">
          the drink
          <Segments
            label="The drink"
            value={house.drink}
            options={DRINK_MEASURES}
            onChange={(drink) => set({ drink })}
          />
        </span>
      </div>
      {own && <p className="text-quiet">This browser reads some of them in units of its own.</p>}
      {choose.error && <FieldError>{failureWords(choose.error) ?? ""}</FieldError>}
    </div>
  );
}
