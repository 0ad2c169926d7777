import type { Planned } from "../../profile/usePlanned";
import { Button } from "../../ui/Button";
import { ErrorNote } from "../../ui/Messages";

/** Someone saved a newer version, or saving failed: said here, with ways on that lose nothing. */
export function Conflict({ planned }: { planned: Planned }) {
  const { save, overtaken, saved, basedOn, dirty } = planned;
  if (overtaken && dirty) {
    const words =
      `Version ${saved.number} was saved in the meantime; your draft started from version ${basedOn}. ` +
      `The grey curve and the line above say how they differ.`;
    return (
      <div className="mb-2">
        <ErrorNote error={new Error(words)}>
          <div className="flex flex-wrap gap-2">
            <Button
              onClick={() => {
                save.reset();
                planned.putOnTop();
              }}
            >
              Keep mine, to save on top of v{saved.number}
            </Button>
            <Button
              onClick={() => {
                save.reset();
                planned.drop();
              }}
            >
              Use v{saved.number}, drop mine
            </Button>
          </div>
        </ErrorNote>
      </div>
    );
  }
  if (!save.error) return null;
  return (
    <div className="mb-2">
      <ErrorNote error={new Error(`Not saved. ${save.error.message}`)}>
        <Button onClick={() => save.reset()}>OK</Button>
      </ErrorNote>
    </div>
  );
}
