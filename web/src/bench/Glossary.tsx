import { useEffect, useRef } from "react";
import { Button } from "../ui/Button";
import { GLOSSARY } from "../ui/glossary";
import { Key } from "../ui/Key";
import { Modal } from "../ui/Modal";
import { useOverlay } from "./overlay";

/** Every term with its one meaning here; opened at the one that was looked for. */
export function Glossary() {
  const { shown, at, close } = useOverlay();
  const found = useRef<HTMLDivElement>(null);
  const open = shown === "glossary";
  useEffect(() => {
    if (open) requestAnimationFrame(() => found.current?.scrollIntoView({ block: "center" }));
  }, [open]);
  return (
    <Modal
      open={open}
      close={close}
      title="Glossary"
      className="flex max-h-[84vh] max-w-2xl flex-col p-5"
    >
      <dl className="mt-3 min-h-0 flex-1 overflow-y-auto">
        {GLOSSARY.map((one) => (
          <div
            key={one.id}
            ref={one.id === at ? found : undefined}
            data-term={one.id}
            className={`border-t border-rule px-2 py-2 ${one.id === at ? "bg-tint" : ""}`}
          >
            <dt>
              <b>{one.term}</b>
              {one.unit && <span className="text-quiet">, {one.unit}</span>}
            </dt>
            <dd>
              {one.meaning} {one.also && <span className="text-quiet">{one.also}</span>}
            </dd>
          </div>
        ))}
      </dl>
      <Button className="mt-4 self-start" onClick={close}>
        Close <Key>Esc</Key>
      </Button>
    </Modal>
  );
}
