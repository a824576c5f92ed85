import { expect, it } from "vitest";

import { membersSaid, type Role } from "@/words/people";

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
