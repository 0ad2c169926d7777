import { ButtonLink } from "../../ui/Button";
import { TextOrFile } from "../../ui/TextOrFile";

/** Bring a trace in from elsewhere, as a file or as text. */
export function Bring({ bring }: { bring: (text: string) => void }) {
  return (
    <div className="mx-auto grid w-full max-w-xl gap-3 px-4 py-10">
      <h1>Tidy a recording into a profile</h1>
      <p>
        Open a shot in Read and choose "Tidy it into a profile", or import a recording as CSV: one
        column a channel, with its name in the first row. <code>time_s</code> and{" "}
        <code>pressure_bar</code> are needed; <code>water_in_ml_s</code> and <code>cup_g</code>{" "}
        help.
      </p>
      <TextOrFile
        label="Trace as CSV"
        placeholder={"time_s,pressure_bar,cup_g\n0,0,0\n0.1,0.2,0"}
        send="Tidy it"
        main
        take={bring}
      />
      <div className="flex gap-2">
        <ButtonLink to="/read/bring-in">Another table, or a picture</ButtonLink>
        <ButtonLink to="/read">Go to Read</ButtonLink>
      </div>
    </div>
  );
}
