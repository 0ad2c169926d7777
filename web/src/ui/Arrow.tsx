/** "to", drawn: the text font has no arrow of its own. */
export function Arrow() {
  return (
    <svg
      viewBox="0 0 16 10"
      role="img"
      aria-label="to"
      className="inline h-[9px] w-[14px] fill-none stroke-current stroke-[1.4]"
      strokeLinecap="round"
      strokeLinejoin="round"
    >
      <path d="M1 5h13M10.5 1.5 14 5l-3.5 3.5" />
    </svg>
  );
}
