import { Button } from "../ui/Button";
import { Key } from "../ui/Key";
import { Modal } from "../ui/Modal";
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
    <Modal
      open={shown === "keys"}
      close={close}
      title="Keys on this page"
      className="max-h-[85vh] max-w-3xl overflow-y-auto p-5"
    >
      <div className="mt-3 gap-x-10 sm:columns-2 [&_section]:mb-4">
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
    </Modal>
  );
}
