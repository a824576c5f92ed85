import type { ReactNode } from "react";

import { Cross } from "@/pieces/Marks";
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
    <div className="rule-part">
      <div className="rule-part-head">
        <span className="quiet">{word}</span>
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
      {error && (
        <p className="wrong" role="alert">
          {error}
        </p>
      )}
    </div>
  );
}
