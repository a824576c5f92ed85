import type { ReactNode } from "react";

import { Cross } from "@/pieces/Marks";

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
        <select aria-label={label} value={kind} onChange={(event) => onKind(event.target.value as Kind)}>
          {kinds.map(([one, name]) => (
            <option key={one} value={one}>
              {name}
            </option>
          ))}
        </select>
        {away && (
          <button type="button" className="off" aria-label={away} onClick={onAway}>
            <Cross />
          </button>
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
