import type { Schemas } from "@/api/client";
import { RepeatableRows, type Column } from "@/pieces/RepeatableRows";
import { PatternHint } from "@/pieces/PatternHint";
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

interface GroupsProps {
  canEdit: boolean;
  groups: PageGroup[];
  rates: Rate[];
  currency: string;
  error: (...fields: string[]) => string | undefined;
  setGroups: (groups: PageGroup[]) => void;
  setRates: (rates: Rate[]) => void;
}

/** Named patterns of pages, and what other currencies are worth. */
export function Groups({ canEdit, groups, rates, currency, error, setGroups, setRates }: GroupsProps) {
  return (
    <>
      <div className="field" role="group" aria-label="Page groups">
        <span className="quiet">Page groups, a dimension of their own; the first that fits names a page’s group</span>
        <RepeatableRows
          name="Page groups"
          className="groups-given"
          columns={GROUP}
          lines={groups}
          canEdit={canEdit}
          error={(place) => error(`rules.page_groups.${place}`)}
          set={setGroups}
        />
        {groups.some((group) => group.test === "regular expression") && <PatternHint />}
        {canEdit && (
          <Button kind="link" onClick={() => setGroups([...groups, { name: "", test: "starts with", pattern: "" }])}>
            Add a page group
          </Button>
        )}
      </div>
      <div className="field" role="group" aria-label="Other currencies">
        <span className="quiet">Other currencies, in {currency || "the site’s"}; amounts without a rate count 0</span>
        <RepeatableRows
          name="Other currencies"
          className="rates-given"
          columns={RATE}
          lines={rates}
          canEdit={canEdit}
          error={(place) => error(`rules.rates.${rates[place]?.currency.trim().toUpperCase()}`)}
          set={setRates}
        />
        {canEdit && (
          <Button kind="link" onClick={() => setRates([...rates, { currency: "", rate: "" }])}>
            Add a currency
          </Button>
        )}
      </div>
    </>
  );
}

/** Rates as they are sent; what is no number is sent as it stands, so that it is refused beside its line. */
export const ratesOf = (lines: Rate[]): Record<string, number> =>
  Object.fromEntries(
    lines
      .filter(({ currency, rate }) => currency.trim() || rate.trim())
      .map(({ currency, rate }) => {
        const given = rate.trim().replace(",", ".");
        return [currency.trim().toUpperCase(), given && !isNaN(Number(given)) ? Number(given) : (rate as unknown as number)];
      }),
  );
