/** What screens call a field of the API, where that is more than its own name with blanks. */
const NAMES: Record<string, string> = {
  cookie: "pseudonym",
  copies: "addresses of copies",
  fields: "site fields",
  gap: "pause that ends a visit",
  ignored_hosts: "hosts ignored as a source",
  inserts_html: "HTML that rules insert",
  internal_networks: "networks of your own people",
  keep_days: "days that hits are kept",
  kept_query_keys: "query keys that make a page",
  label_keys: "keys of the link label",
  light: "ground",
  dark: "modules",
  millimetres: "width in print",
  quiet: "quiet zone",
  players: "hosts of embedded players",
  props: "properties",
  rates: "exchange rates",
  search_keys: "query keys of a search",
  sends: "what is sent automatically",
  timezone: "time zone",
  visit_gap_minutes: "pause that ends a visit",
};
/** Parts that hold all others, and say nothing of what is wrong. */
const WHOLE = new Set(["rules", "tagging", "goal", "match", "link", "draft", "body"]);

/** A field of the API as people would say it: `rules.page_groups.2.pattern` is *Page groups, line 3, pattern*. */
export function inWords(field: string): string {
  const parts = field.split(".").filter((part, at, all) => !WHOLE.has(part) || at === all.length - 1);
  const words = parts.map((part) => (/^\d+$/.test(part) ? `line ${Number(part) + 1}` : (NAMES[part] ?? part.replaceAll("_", " "))));
  const text = words.join(", ");
  return text.charAt(0).toUpperCase() + text.slice(1);
}
