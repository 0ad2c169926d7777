import { Button } from "./Button";
import { TextLine } from "./TextLine";

/** Why something is left out, in one's own words or in usual ones. */
export function Reason(props: {
  usual: readonly string[];
  value: string;
  onChange: (value: string) => void;
}) {
  const { usual, value, onChange } = props;
  return (
    <>
      <TextLine label="Why" value={value} most={200} onChange={onChange} />
      <div className="flex flex-wrap gap-1.5">
        {usual.map((words) => (
          <Button key={words} onClick={() => onChange(words)}>
            {words}
          </Button>
        ))}
      </div>
    </>
  );
}
