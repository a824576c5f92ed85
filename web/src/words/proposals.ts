import type { Schemas } from "@/api/client";

/** A goal that what arrived suggests, and why. */
export interface Proposal {
  name: string;
  why: string;
  goal: Schemas["Goal"];
}

interface Seen {
  name: string;
  people: number;
  isAutomatic: boolean;
}

const MAX_EVENTS = 3;
const MAX_PAGES = 2;
const THANKS = /thank|danke|merci|gracias|grazie|confirm|success|complete|booked|bestaetig/i;

const plain = { names: [], name_test: "is" as const, page: null, props: [], fields: [] };

/** Orders first, then what somebody named, forms, and pages that thank. */
export function proposals(orders: number, events: readonly Seen[], pages: readonly string[]): Proposal[] {
  const found: Proposal[] = [];
  if (orders > 0)
    found.push({
      name: "Orders",
      why: "orders have arrived, worth their totals",
      goal: { match: { ...plain, kind: "order" }, counts: "every time", value: { kind: "order" } },
    });
  const byPeople = [...events].sort((a, b) => b.people - a.people);
  const wanted = [
    ...byPeople.filter((one) => !one.isAutomatic).slice(0, MAX_EVENTS),
    ...byPeople.filter((one) => one.name === "form submit"),
  ];
  for (const { name } of wanted)
    found.push({
      name: name.charAt(0).toUpperCase() + name.slice(1),
      why: name === "form submit" ? "forms were sent" : "an event of your own has arrived",
      goal: { match: { ...plain, kind: "event", names: [name] }, counts: "once a visit", value: { kind: "none" } },
    });
  for (const page of pages.filter((one) => THANKS.test(one)).slice(0, MAX_PAGES))
    found.push({
      name: `Reached ${page}`,
      why: "this page looks as if it thanked somebody",
      goal: { match: { ...plain, kind: "view", page: { test: "is", value: page } }, counts: "once a visit", value: { kind: "none" } },
    });
  return found;
}
