import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client, type Schemas } from "@/api/client";
import { secondFactorQuery } from "@/api/queries";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { LedgerSkeleton } from "@/ledger/LedgerSkeleton";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { Code } from "@/ui/Code";
import { Input } from "@/ui/Field";
import { Part } from "@/ui/layout";
import { ErrorState } from "@/ui/states";
import { Actions } from "@/ui/text";
import { moment, plural } from "@/words/format";

type Begun = Schemas["BegunOut"];
type Doing = "nothing" | "beginning" | "ending" | "renewing";

const PATH = "/api/v1/account/second-factor";

/** Whether a code of a device is asked for, besides the password. */
export function SecondFactor() {
  const { site } = useSite();
  const found = useQuery(secondFactorQuery);
  const [doing, setDoing] = useState<Doing>("nothing");
  const [begun, setBegun] = useState<Begun | null>(null);
  const [codes, setCodes] = useState<readonly string[]>([]);
  const stop = () => {
    setDoing("nothing");
    setBegun(null);
  };
  const show = (made: Schemas["RecoveryCodesOut"]) => {
    stop();
    setCodes(made.codes);
  };
  const { since, codes_left: left } = found.data ?? { since: null, codes_left: 0 };
  return (
    <Part title="Second factor" aria-label="Second factor">
      {found.isError && <ErrorState error={found.error} again={() => void found.refetch()} />}
      {found.isPending && <LedgerSkeleton rows={1} />}
      {found.data && (
        <p className="text-ink-2">
          {since
            ? `Since ${moment(Date.parse(since), site.timezone)} each sign-in asks for a code of your device, besides the password. ${plural(left, "recovery code")} ${left === 1 ? "is" : "are"} left.`
            : "Your password alone lets you in. A second factor asks for a code of your phone, or of a password manager, too."}
        </p>
      )}
      {codes.length > 0 && <RecoveryCodes codes={codes} />}
      {found.data && doing === "nothing" && (
        <Actions>
          {since ? (
            <>
              <Button onClick={() => setDoing("renewing")}>Make new recovery codes …</Button>
              <Button onClick={() => setDoing("ending")}>End it …</Button>
            </>
          ) : (
            <Button onClick={() => setDoing("beginning")}>Begin …</Button>
          )}
        </Actions>
      )}
      {doing === "beginning" &&
        (begun ? <Confirmation begun={begun} done={show} stop={stop} /> : <Beginning done={setBegun} stop={stop} />)}
      {doing === "renewing" && <Renewing done={show} stop={stop} />}
      {doing === "ending" && (
        <Ending
          done={() => {
            stop();
            setCodes([]);
          }}
          stop={stop}
        />
      )}
    </Part>
  );
}

function RecoveryCodes({ codes }: { codes: readonly string[] }) {
  return (
    <div className="grid gap-1" role="status">
      <p>If the device is lost, each of these lets you in once. They are shown this once: keep them where you keep what is precious.</p>
      <Code text={codes.join("\n")} />
    </div>
  );
}

interface StepProps<Made> {
  done: (made: Made) => void;
  stop: () => void;
}

/** The password once more, before anything of it is changed. */
function Beginning({ done, stop }: StepProps<Begun>) {
  const entry = useEntry({
    values: { password: "" },
    check: ({ password }) => (password ? {} : { password: "Give your password." }),
    send: (body) => ask(client.POST(PATH, { body })),
    after: done,
    touches: "nothing",
  });
  return (
    <EntryForm entry={entry} label="Begin with a second factor" foot={<Foot verb="Go on" busy={entry.isSending} stop={stop} />}>
      <EntryField entry={entry} name="password" label="Your password">
        {(control) => <Input {...control} type="password" maxLength={200} autoComplete="current-password" />}
      </EntryField>
    </EntryForm>
  );
}

function Confirmation({ begun, done, stop }: StepProps<Schemas["RecoveryCodesOut"]> & { begun: Begun }) {
  const entry = useEntry({
    values: { code: "" },
    check: ({ code }) => (code.trim() ? {} : { code: "Give the code that the device shows." }),
    send: (body) => ask(client.PUT(PATH, { body })),
    after: done,
    touches: "account",
  });
  return (
    <>
      <p>Let the device read this, or type it there. Then give the code that it shows.</p>
      <img
        src={`data:image/svg+xml,${encodeURIComponent(begun.svg)}`}
        alt="A code to be read by your device; the text below says the same"
        className="size-[180px] rounded-xs"
      />
      <Code text={begun.secret.replaceAll(/(.{4})(?=.)/g, "$1 ")} />
      <EntryForm
        entry={entry}
        label="Confirm the device"
        foot={<Foot verb="Ask for codes from now on" busy={entry.isSending} stop={stop} />}
      >
        <EntryField entry={entry} name="code" label="Code" hint="Six digits; a new one every half minute.">
          {(control) => <Input {...control} maxLength={20} autoComplete="one-time-code" inputMode="numeric" spellCheck={false} />}
        </EntryField>
      </EntryForm>
    </>
  );
}

function Renewing({ done, stop }: StepProps<Schemas["RecoveryCodesOut"]>) {
  const entry = useEntry({
    values: { password: "" },
    check: ({ password }) => (password ? {} : { password: "Give your password." }),
    send: (body) => ask(client.POST(`${PATH}/codes`, { body })),
    after: done,
    touches: "account",
  });
  return (
    <EntryForm entry={entry} label="New recovery codes" foot={<Foot verb="Make new ones" busy={entry.isSending} stop={stop} />}>
      <EntryField entry={entry} name="password" label="Your password" hint="The codes that you have will let nobody in any more.">
        {(control) => <Input {...control} type="password" maxLength={200} autoComplete="current-password" />}
      </EntryField>
    </EntryForm>
  );
}

function Ending({ done, stop }: StepProps<unknown>) {
  const entry = useEntry({
    values: { password: "", code: "" },
    check: ({ password, code }) => ({
      ...(password ? {} : { password: "Give your password." }),
      ...(code.trim() ? {} : { code: "Give a code of the device, or a recovery code." }),
    }),
    send: (body) => ask(client.POST(`${PATH}/ended`, { body })),
    after: done,
    touches: "account",
  });
  return (
    <EntryForm entry={entry} label="End the second factor" foot={<Foot verb="End it" busy={entry.isSending} stop={stop} />}>
      <EntryField entry={entry} name="password" label="Your password">
        {(control) => <Input {...control} type="password" maxLength={200} autoComplete="current-password" />}
      </EntryField>
      <EntryField entry={entry} name="code" label="Code" hint="Of the device, or a recovery code.">
        {(control) => <Input {...control} maxLength={40} autoComplete="one-time-code" spellCheck={false} />}
      </EntryField>
    </EntryForm>
  );
}

function Foot({ verb, busy, stop }: { verb: string; busy: boolean; stop: () => void }) {
  return (
    <>
      <Button kind="primary" type="submit" disabled={busy}>
        {verb}
      </Button>
      <Button onClick={stop}>Cancel</Button>
    </>
  );
}
