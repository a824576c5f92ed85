import { Menu, MenuChoice } from "@/ui/Menu";

interface ChosenProps {
  label: string;
  value: string;
  options: readonly { value: string; label: string }[];
  onChange: (value: string) => void;
}

/** A dotted word of a sentence: one of a few, changed where it stands. */
export function Chosen({ label, value, options, onChange }: ChosenProps) {
  const shown = options.find((one) => one.value === value)?.label ?? value;
  return (
    <Menu
      trigger={
        <button type="button" className="border-b border-dotted border-teal text-ink" aria-label={`${label}: ${shown}`}>
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
