import { expect, it } from "vitest";

import { differenceWords, fieldWords, membersSaid, thingWords, type Role } from "@/words/people";

const said = (...roles: Role[]) =>
  membersSaid(
    roles.map((role) => ({ role })),
    "Fennmoor Mill",
  );

it("says who may enter, by role", () => {
  expect(said("owner")).toBe("1 person may enter Fennmoor Mill: 1 owner.");
  expect(said("viewer", "owner", "viewer")).toBe("3 people may enter Fennmoor Mill: 1 owner and 2 viewers.");
  expect(said("analyst", "viewer", "owner", "owner")).toBe("4 people may enter Fennmoor Mill: 2 owners, 1 analyst and 1 viewer.");
});

it("says what was changed, from what to what", () => {
  expect(differenceWords({ field: "definition.counts", before: "once a visit", after: "every time" })).toBe(
    "definition, counts: once a visit → every time",
  );
  expect(differenceWords({ field: "own_networks", before: null, after: "10.0.0.0/8" })).toBe("own networks: 10.0.0.0/8");
  expect(differenceWords({ field: "role", before: "viewer", after: null })).toBe("role: viewer, taken away");
  expect([fieldWords("a_b.c"), thingWords("log reading"), thingWords("goal")]).toEqual(["a b, c", "Reading of logs", "Goal"]);
});
