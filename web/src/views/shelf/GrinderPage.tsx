import { useQuery } from "@tanstack/react-query";
import { grindersQuery } from "../../api/queries";
import { NEW_GRINDER, writeGrinder } from "../../bench/shelving";
import { Num, Part, Text } from "../../ui/DocumentForm";
import { styles } from "../../ui/styles";
import { Calibrations } from "./Calibrations";
import { GrinderPicture } from "./Pictures";
import { ShelvedForm } from "./ShelvedForm";
import { TaughtPanel } from "./TaughtPanel";

/** A grinder and the points that turn its numbers into sizes. */
export function GrinderPage({ id }: { id: number | undefined }) {
  const grinders = useQuery(grindersQuery());
  const grinder = grinders.data?.find((one) => one.id === id);
  const start = grinder
    ? {
        name: grinder.name,
        settings: grinder.settings.join(" "),
        grind_um: grinder.grind_um.join(" "),
        fines_pct: grinder.fines_pct ?? null,
        note: grinder.note,
      }
    : NEW_GRINDER;
  return (
    <div className={styles.shelfPage}>
      {grinder && <GrinderPicture grinder={grinder} />}
      {grinder && <TaughtPanel kind="grinder" id={grinder.id} />}
      <ShelvedForm
        kind="grinder"
        thing={grinder}
        start={start}
        list={grindersQuery().queryKey}
        write={(document) => writeGrinder(document, grinder)}
      >
        <Part name="The grinder">
          <Text path="name" label="Name" />
          <Text path="settings" label="Settings, rising" />
          <Text path="grind_um" label="Nominal size at each, µm" />
          <Num path="fines_pct" label="Fines at 300 µm" unit="%" step={1} placeholder="model" />
          <Text path="note" label="Note" lines={2} />
        </Part>
      </ShelvedForm>
      {grinder && <Calibrations subject="grinder" id={grinder.id} />}
    </div>
  );
}
