import type { Measure } from "@/api/client";
import { idOf, SHAPE_WORDS, shapeOf, shapesOf, type Shape } from "@/ledger/reportColumns";
import { Button } from "@/ui/Button";
import { Checkbox } from "@/ui/Choices";
import { Chevron, Up } from "@/ui/icons";
import { Popover } from "@/ui/Popover";

interface ColumnsChoiceProps {
  measures: readonly Measure[];
  heads: Record<string, string>;
  shown: string[];
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
export function ColumnsChoice({ measures, heads, shown, isUsual, onShown, onUsual }: ColumnsChoiceProps) {
  const head = (name: string) => heads[name] ?? measures.find((one) => one.name === name)?.title ?? name;
  const words = (id: string) => {
    const [name, shape] = shapeOf(id);
    return shape === "value" ? head(name) : `${head(name)}, ${SHAPE_WORDS[shape]}`;
  };
  const others = measures.flatMap((measure) => {
    const free = shapesOf(measure).filter((shape) => !shown.includes(idOf(measure.name, shape)));
    return free.length ? [{ measure, free }] : [];
  });
  const add = (measure: Measure, shape: Shape) => onShown([...shown, idOf(measure.name, shape)]);
  return (
    <Popover label="Columns" align="end" trigger={<Button kind="link">Columns</Button>}>
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
        <ul className="grid gap-0.5 border-t border-hairline pt-2" aria-label="More columns">
          {others.map(({ measure, free }) => (
            <li key={measure.name} className="flex flex-wrap items-baseline gap-x-2.5" title={measure.meaning}>
              <span className="text-ink-2">{head(measure.name)}</span>
              {free.map((shape) => (
                <Button
                  key={shape}
                  kind="link"
                  className="text-label"
                  aria-label={`Add ${words(idOf(measure.name, shape))}`}
                  onClick={() => add(measure, shape)}
                >
                  {SHAPE_WORDS[shape]}
                </Button>
              ))}
            </li>
          ))}
        </ul>
        {!isUsual && (
          <Button kind="quiet" onClick={onUsual}>
            The usual columns and widths
          </Button>
        )}
      </div>
    </Popover>
  );
}
