import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { Button } from "../ui/Button";
import { Key } from "../ui/Key";
import { cn, styles } from "../ui/styles";
import { type Action, keyWords, useActionLists } from "./actions";
import { useOverlay } from "./overlay";
import { useKeySettings } from "./settings";

const GROUPS: Action["group"][] = ["Here", "Go to", "Anywhere"];

/** Every key that does something on this page. */
export function KeysHelp() {
  const { shown, close } = useOverlay();
  const { singleKeys, setSingleKeys } = useKeySettings();
  const lists = useActionLists((state) => state.lists);
  const all = Object.values(lists)
    .flat()
    .filter((action) => action.key);
  return (
    <Dialog open={shown === "keys"} onClose={close} className="relative z-50">
      <div className="fixed inset-0 flex items-start justify-center bg-ink/20 p-4 pt-[10vh]">
        <DialogPanel
          className={cn(styles.panel, "max-h-[80vh] w-full max-w-xl overflow-y-auto p-5")}
        >
          <DialogTitle as="h2">Keys on this page</DialogTitle>
          <div className="mt-3 grid gap-x-10 gap-y-4 sm:grid-cols-2">
            {GROUPS.map((group) => {
              const actions = all.filter((action) => action.group === group);
              if (actions.length === 0) return null;
              return (
                <section key={group}>
                  <h3 className="border-b border-rule pb-1">{group}</h3>
                  <dl>
                    {actions.map((action) => (
                      <div key={action.id} className="flex justify-between gap-3 py-1">
                        <dt>{action.words}</dt>
                        <dd>
                          <Key>{keyWords(action.key ?? "")}</Key>
                        </dd>
                      </div>
                    ))}
                  </dl>
                </section>
              );
            })}
            <section>
              <h3 className="border-b border-rule pb-1">In a number</h3>
              <dl>
                <div className="flex justify-between gap-3 py-1">
                  <dt>A step more, a step less</dt>
                  <dd>
                    <Key>Up</Key> <Key>Down</Key>
                  </dd>
                </div>
                <div className="flex justify-between gap-3 py-1">
                  <dt>Ten steps</dt>
                  <dd>
                    with <Key>Shift</Key>
                  </dd>
                </div>
              </dl>
            </section>
          </div>
          <label className="mt-4 flex items-center gap-2">
            <input
              type="checkbox"
              checked={singleKeys}
              onChange={(event) => setSingleKeys(event.target.checked)}
            />
            Single-letter keys act on their own
          </label>
          <Button className="mt-4" onClick={close}>
            Close <Key>Esc</Key>
          </Button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
