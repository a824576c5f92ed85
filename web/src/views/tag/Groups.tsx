import type { Schemas } from "@/api/client";
import { RepeatableRows, type Column } from "@/views/shared/RepeatableRows";
import { PatternHint } from "@/views/shared/PatternHint";
import { typedNumber } from "@/forms/numbers";
import { Button } from "@/ui/Button";

export type PageGroup = Required<Schemas["PageGroup"]>;
export interface Rate {
  currency: string;
  rate: string;
}

const GROUP: Column<PageGroup>[] = [
  { key: "name", label: "Name of the group", placeholder: "Courses" },
  { key: "test", label: "Its pages", options: ["is", "starts with", "contains", "regular expression"] },
  { key: "pattern", label: "this", placeholder: "/courses" },
];
const RATE: Column<Rate>[] = [
  { key: "currency", label: "Currency", placeholder: "GBP" },
  { key: "rate", label: "Worth of one", placeholder: "1.15", before: "1 of it is" },
];

type ErrorOf = (...fields: string[]) => string | undefined;

interface PageGroupsProps {
  canEdit: boolean;
  groups: PageGroup[];
  error: ErrorOf;
  set: (groups: PageGroup[]) => void;
}

/** Named patterns of pages. */
export function PageGroups({ canEdit, groups, error, set }: PageGroupsProps) {
  return (
    <div className="grid min-w-0 gap-[3px]" role="group" aria-label="Page groups">
      <span className="text-ink-2">Page groups, a dimension of their own; the first that fits names a page’s group</span>
      <RepeatableRows
        name="Page groups"
        layout="max-w-[560px] grid-cols-[minmax(0,1fr)_104px_minmax(0,1fr)_28px]"
        columns={GROUP}
        lines={groups}
        canEdit={canEdit}
        error={(place) => error(`rules.page_groups.${place}`)}
        set={set}
      />
      {groups.some((group) => group.test === "regular expression") && <PatternHint />}
      {canEdit && (
        <Button kind="link" onClick={() => set([...groups, { name: "", test: "starts with", pattern: "" }])}>
          Add a page group
        </Button>
      )}
    </div>
  );
}

export type SiteCopy = Schemas["SiteCopy"];

const COPY: Column<SiteCopy>[] = [
  { key: "at", label: "Pages at", placeholder: "preview.mill.example/next" },
  { key: "counts_as", label: "Count as those of", placeholder: "mill.example", before: "count as" },
];

interface CopiesProps {
  canEdit: boolean;
  copies: SiteCopy[];
  error: ErrorOf;
  set: (copies: SiteCopy[]) => void;
}

/** Addresses under which the same pages stand. */
export function Copies({ canEdit, copies, error, set }: CopiesProps) {
  return (
    <div className="grid min-w-0 gap-[3px]" role="group" aria-label="Copies of the site">
      <span className="text-ink-2">
        Copies of the site: a host, or a part of one, whose pages count as those of another address; so do links to them
      </span>
      <RepeatableRows
        name="Copies of the site"
        layout="max-w-[560px] grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)_28px]"
        columns={COPY}
        lines={copies}
        canEdit={canEdit}
        error={(place) => error(`rules.copies.${place}`)}
        set={set}
      />
      {canEdit && (
        <Button kind="link" onClick={() => set([...copies, { at: "", counts_as: "" }])}>
          Add a copy
        </Button>
      )}
    </div>
  );
}

interface RatesProps {
  canEdit: boolean;
  rates: Rate[];
  currency: string;
  error: ErrorOf;
  set: (rates: Rate[]) => void;
}

/** What other currencies are worth. */
export function Rates({ canEdit, rates, currency, error, set }: RatesProps) {
  return (
    <div className="grid min-w-0 gap-[3px]" role="group" aria-label="Other currencies">
      <span className="text-ink-2">Other currencies, in {currency || "the site’s"}; amounts without a rate count 0</span>
      <RepeatableRows
        name="Other currencies"
        layout="max-w-[560px] grid-cols-[76px_auto_minmax(0,1fr)_28px]"
        columns={RATE}
        lines={rates}
        canEdit={canEdit}
        error={(place) => error(`rules.rates.${rates[place]?.currency.trim().toUpperCase()}`)}
        set={set}
      />
      {canEdit && (
        <Button kind="link" onClick={() => set([...rates, { currency: "", rate: "" }])}>
          Add a currency
        </Button>
      )}
    </div>
  );
}

/** Rates as they are sent; what is no number is sent as it stands, so that it is refused beside its line. */
export const ratesOf = (lines: Rate[]): Record<string, number> =>
  Object.fromEntries(
    lines
      .filter(({ currency, rate }) => currency.trim() || rate.trim())
      .map(({ currency, rate }) => [currency.trim().toUpperCase(), typedNumber(rate.replace(",", "."))]),
  );
