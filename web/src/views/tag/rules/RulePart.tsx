import type { ReactNode } from "react";

import { Cross } from "@/ui/icons";
import { FieldError } from "@/ui/Field";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";

interface RulePartProps<Kind extends string> {
  /** The word that joins it to what stands before. */
  word: string;
  /** What is chosen. */
  label: string;
  kinds: [Kind, string][];
  kind: Kind;
  onKind: (kind: Kind) => void;
  /** What taking it away is called; without, it stays. */
  away?: string | undefined;
  onAway: () => void;
  error: string | undefined;
  children: ReactNode;
}

/** One condition or one action of a rule: of which kind, its details, and what is wrong with it. */
export function RulePart<Kind extends string>({ word, label, kinds, kind, onKind, away, onAway, error, children }: RulePartProps<Kind>) {
  return (
    <div className="grid w-full gap-1.5 border-l-2 border-hairline-firm pb-2.5 pl-2.5">
      <div className="flex items-center gap-2">
        <span className="text-ink-2">{word}</span>
        <Select
          aria-label={label}
          className="flex-1"
          value={kind}
          onChange={(to) => onKind(to)}
          options={kinds.map(([one, name]) => ({ value: one, label: name }))}
        />
        {away && (
          <Button kind="icon" aria-label={away} onClick={onAway}>
            <Cross />
          </Button>
        )}
      </div>
      {children}
      {error && <FieldError>{error}</FieldError>}
    </div>
  );
}
