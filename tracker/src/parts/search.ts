import type { Part } from "../tools";

// Letters that are typed one by one are one search, once they rest.
const RESTS = 1000;

/** What was searched for on the site, read from the address of the page with the results. */
const search: Part = ({ given, tell, when, doc, leaving, safely }) => {
  const term = safely((url: string): string => {
    const keys = new URL(url).searchParams;
    return (given.searches ?? []).map((key) => keys.get(key)?.trim()).find(Boolean) ?? "";
  });
  let before = term(doc("referrer"));
  let waiting = 0;
  const look = (): void => {
    clearTimeout(waiting);
    const now = term(location.href);
    // The second page of the same results is no second search.
    if (now && now !== before) tell("site search", { term: now });
    before = now;
  };
  when("viewed", look);
  when("moved", () => {
    clearTimeout(waiting);
    waiting = setTimeout(safely(look), RESTS) as unknown as number;
  });
  leaving(look);
};

uc_parts.push(search);
