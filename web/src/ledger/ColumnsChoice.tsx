import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Chevron, Up } from "@/ui/icons";
import { Popover } from "@/ui/Popover";

/** Columns that are not shown: each by its id, and what stands on its button. */
export interface MoreColumns {
  /** What they are of, where they are of the same. */
  name?: string;
  meaning?: string;
  options: { id: string; label: string }[];
}

interface ColumnsChoiceProps {
  /** What is chosen. */
  label?: "Columns" | "Figures";
  /** What a column is called. */
  words: (id: string) => string;
  shown: string[];
  more: MoreColumns[];
  isUsual: boolean;
  onShown: (shown: string[]) => void;
  onUsual: () => void;
}

const moved = (shown: string[], id: string, by: 1 | -1): string[] => {
  const from = shown.indexOf(id);
  const to = from + by;
  if (to < 0 || to >= shown.length) return shown;
  const next = shown.filter((one) => one !== id);
  next.splice(to, 0, id);
  return next;
};

/** Which columns a ledger has, and in which order. */
export function ColumnsChoice({ label = "Columns", ...rest }: ColumnsChoiceProps) {
  return (
    <Popover label={label} align="end" trigger={<Button kind="link">{label}</Button>}>
      <Choosing label={label} {...rest} />
    </Popover>
  );
}

/** What there is to choose; written only where it is looked at. */
function Choosing({ label, words, shown, more, isUsual, onShown, onUsual }: ColumnsChoiceProps & { label: string }) {
  return (
    <div className="grid gap-2 px-3.5 py-1">
      <ol className="grid gap-0.5" aria-label="Shown, in this order">
        {shown.map((id, place) => (
          <li key={id} className="flex items-center gap-1">
            <span className="mr-auto">
              <Checkbox
                label={words(id)}
                checked
                disabled={shown.length === 1}
                onChange={() => onShown(shown.filter((one) => one !== id))}
              />
            </span>
            <Button
              kind="icon"
              aria-label={`${words(id)}: one place earlier`}
              disabled={place === 0}
              onClick={() => onShown(moved(shown, id, -1))}
            >
              <Up />
            </Button>
            <Button
              kind="icon"
              aria-label={`${words(id)}: one place later`}
              disabled={place === shown.length - 1}
              onClick={() => onShown(moved(shown, id, 1))}
            >
              <Chevron />
            </Button>
          </li>
        ))}
      </ol>
      {more.length > 0 && (
        <ul className="grid gap-0.5 border-t border-hairline pt-2" aria-label={`More ${label.toLowerCase()}`}>
          {more.map(({ name, meaning, options }, place) => (
            <li key={place} className="flex flex-wrap items-baseline gap-x-2.5" title={meaning}>
              {name && <span className="text-ink-2">{name}</span>}
              {options.map(({ id, label }) => (
                <Button key={id} kind="link" className="text-label" aria-label={`Add ${words(id)}`} onClick={() => onShown([...shown, id])}>
                  {label}
                </Button>
              ))}
            </li>
          ))}
        </ul>
      )}
      {!isUsual && (
        <Button kind="quiet" onClick={onUsual}>
          {label === "Columns" ? "The usual columns and widths" : "The usual figures"}
        </Button>
      )}
    </div>
  );
}
