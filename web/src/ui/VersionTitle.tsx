/** A profile's name, a version's number, and a word on its state: the head of a view. */
export function VersionTitle(props: { name: string; number: number; state: string }) {
  return (
    <h1 className="flex min-w-0 items-baseline gap-2.5">
      <span className="truncate" title={props.name}>
        {props.name}
      </span>
      <span className="font-mono text-base font-medium text-quiet">v{props.number}</span>
      <small className="whitespace-nowrap text-[13px] font-normal tracking-normal text-quiet">
        {props.state}
      </small>
    </h1>
  );
}
