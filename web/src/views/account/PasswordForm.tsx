import { ask, client } from "@/api/client";
import { EntryField, EntryForm } from "@/forms/EntryForm";
import { useEntry } from "@/forms/useEntry";
import { Button } from "@/ui/Button";
import { Input } from "@/ui/Field";
import { Part } from "@/ui/layout";

export const PASSWORD_HINT = "Ten characters or more. A few words in a row are good; nothing else is asked of it.";

/** Another password; whoever else is signed in with the old one is signed out. */
export function PasswordForm() {
  const entry = useEntry({
    values: { now: "", then: "" },
    check: ({ now, then }) => ({
      ...(now ? {} : { now: "Give the password that you have." }),
      ...(then ? {} : { then: "Give the password that you want." }),
    }),
    send: (body) => ask(client.PUT("/api/v1/account/password", { body })),
    becomes: () => ({ now: "", then: "" }),
    touches: "account",
  });
  return (
    <Part title="Password" aria-label="Password">
      <EntryForm
        entry={entry}
        label="Password"
        foot={
          <>
            <Button kind="primary" type="submit" disabled={entry.isSending}>
              {entry.isSending ? "Changing …" : "Change it"}
            </Button>
            {entry.isSent && <span role="status">Changed. Every other browser was signed out.</span>}
          </>
        }
      >
        <EntryField entry={entry} name="now" label="As it is">
          {(control) => <Input {...control} type="password" maxLength={200} autoComplete="current-password" />}
        </EntryField>
        <EntryField entry={entry} name="then" label="As it shall be" hint={PASSWORD_HINT}>
          {(control) => <Input {...control} type="password" maxLength={200} autoComplete="new-password" />}
        </EntryField>
      </EntryForm>
    </Part>
  );
}
