import { useState } from "react";

import { Field, Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { VisitorRights } from "@/views/shared/VisitorRights";

/** Hands out, or forgets, what is stored of the visitor whose pseudonym is given. */
export function OneVisitor() {
  const [typed, setTyped] = useState("");
  // In the cookie of several hosts a mark stands behind it.
  const visitor = typed.trim().replace(/\.w$/, "");
  return (
    <Part title="One visitor" aria-label="One visitor">
      <Field label="The visitor’s pseudonym" hint="it stands in every visit, where the same can be done, and in the cookie uc_visitor">
        {(control) => <Input {...control} value={typed} maxLength={66} onChange={(event) => setTyped(event.target.value)} />}
      </Field>
      <VisitorRights key={visitor} visitor={visitor} />
    </Part>
  );
}
