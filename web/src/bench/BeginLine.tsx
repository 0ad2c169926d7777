import { PARTS, useBeginning } from "./beginning";
import { partTitle, partWords } from "./beginningWords";

/** The bench line while it is being written: each answer as it is given. */
export function BeginLine() {
  const { answers, another } = useBeginning();
  const said = PARTS.filter((part) => answers[part]);
  if (said.length === 0)
    return (
      <p className="text-lead leading-6 text-quiet">
        {another ? "Another bench, not set up yet" : "This bench is not set up yet"}
      </p>
    );
  return (
    <p className="min-w-0 overflow-x-auto whitespace-nowrap text-lead leading-6 [scrollbar-width:thin] max-phone:whitespace-normal max-phone:text-[14px]">
      {said.map((part, i) => (
        <span key={part}>
          {i > 0 && <span className="mx-2 text-quiet">·</span>}
          {String(answers[part]?.name ?? partTitle(part))}{" "}
          <span className="text-quiet">{partWords(part, answers[part])}</span>
        </span>
      ))}
    </p>
  );
}
