import type { Part } from "../tools";

/** What was searched for on the site, read from the address of the page with the results. */
const search: Part = ({ given, tell, viewed }) => {
  const term = (url: string): string => {
    const keys = new URL(url).searchParams;
    return (
      (given.searches ?? [])
        .map((key) => keys.get(key)?.trim())
        .find(Boolean)
        ?.slice(0, 200) ?? ""
    );
  };
  let before = "";
  try {
    before = term(document.referrer);
  } catch {
    // Nothing was before.
  }
  viewed(() => {
    const now = term(location.href);
    // The second page of the same results is no second search.
    if (now && now !== before) tell("site search", { term: now });
    before = now;
  });
};

uc_parts.push(search);
