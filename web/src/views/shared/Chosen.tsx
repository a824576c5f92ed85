import { Menu, MenuChoice } from "@/ui/Menu";

interface ChosenProps {
  label: string;
  value: string;
  options: readonly { value: string; label: string }[];
  onChange: (value: string) => void;
  /** Whether it is read as the word that it is, as in a heading, and not by what it chooses. */
  isWord?: boolean;
}

/** A dotted word of a sentence: one of a few, changed where it stands. */
export function Chosen({ label, value, options, onChange, isWord = false }: ChosenProps) {
  const shown = options.find((one) => one.value === value)?.label ?? value;
  return (
    <Menu
      trigger={
        <button
          type="button"
          className="max-w-full truncate border-b border-dotted border-teal align-bottom text-ink"
          {...(isWord ? { title: label } : { "aria-label": `${label}: ${shown}` })}
        >
          {shown}
        </button>
      }
    >
      <div className="max-h-96 overflow-y-auto">
        <MenuChoice value={value} options={options} onChange={onChange} />
      </div>
    </Menu>
  );
}
