import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "@/api/client";
import { codeQuery } from "@/api/queries";
import { faultsOf } from "@/forms/problems";
import { FieldError, Field, Input } from "@/ui/Field";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useSite } from "@/state/site";
import { Remark } from "@/ui/layout";
import { Actions } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { download } from "@/words/download";

const HEX = /^#[0-9a-f]{6}$/i;
const SHOWN = ["dark", "light", "millimetres", "quiet", "caption", "text"];

/** A QR code for print: it is read again before it is offered. */
export function QrCode({ url, name }: { url: string; name: string }) {
  const { site } = useSite();
  const [form, setForm] = useState({ dark: "#15283b", light: "#ffffff", millimetres: "30", quiet: "4", correction: "M", caption: "" });
  const asked = useDebouncedValue(form, 300);
  const body = {
    text: url,
    dark: asked.dark,
    light: asked.light,
    millimetres: Number(asked.millimetres),
    quiet: Number(asked.quiet),
    correction: asked.correction as Schemas["CodeRequest"]["correction"],
    caption: asked.caption,
  };
  const code = useQuery(codeQuery(site.key, body));
  const { of, use: instead, all } = faultsOf(code.error, SHOWN);
  const set = (name: keyof typeof form) => (to: string) => setForm({ ...form, [name]: to });
  const field = (name: keyof typeof form, label: string, hint?: string, more: object = {}) => (
    <Field label={label} hint={hint} error={of(name)}>
      {(control) => <Input {...control} {...more} value={form[name]} onChange={(event) => set(name)(event.target.value)} />}
    </Field>
  );
  const colour = (name: "dark" | "light", label: string) => (
    <ColourField label={label} value={form[name]} error={of(name)} use={instead(name)} set={set(name)} />
  );
  const made = code.isError ? null : code.data;
  const png = () => {
    const bytes = Uint8Array.from(atob(made?.png ?? ""), (sign) => sign.charCodeAt(0));
    download(new Blob([bytes], { type: "image/png" }), `${name}.png`);
  };
  return (
    <div className="grid items-start gap-3.5 sm:grid-cols-[168px_minmax(0,1fr)]" role="group" aria-label="QR code">
      <div aria-busy={code.isFetching}>
        {made && (
          <img
            src={`data:image/svg+xml,${encodeURIComponent(made.svg)}`}
            alt={`QR code for ${url}`}
            className="h-auto w-full border border-hairline"
          />
        )}
        {code.isError &&
          (all ? <FieldError>{all}</FieldError> : <p className="text-ink-2">It is drawn as soon as what is wrong beside it is right.</p>)}
      </div>
      <div className="grid gap-2">
        <div className="grid grid-cols-2 items-start gap-x-3 gap-y-2">
          {colour("dark", "Modules")}
          {colour("light", "Ground")}
          {field("millimetres", "Width in print, mm", made ? `a module is ${made.module_mm} mm` : undefined, { inputMode: "decimal" })}
          {field("quiet", "Quiet zone, modules", "4 is usual", { inputMode: "numeric" })}
        </div>
        <Field label="Error correction" hint="the more, the more of it can be dirty or covered">
          {(control) => (
            <Select
              {...control}
              value={form.correction}
              onChange={set("correction")}
              options={[
                { value: "L", label: "7 %" },
                { value: "M", label: "15 %" },
                { value: "Q", label: "25 %" },
                { value: "H", label: "30 %" },
              ]}
            />
          )}
        </Field>
        {field("caption", "Caption beneath it", "optional", { maxLength: 80 })}
        {made?.remarks.map((remark) => (
          <Remark key={remark}>{remark}</Remark>
        ))}
        <Actions>
          <Button disabled={!made || code.isFetching} onClick={() => download(made?.svg ?? "", `${name}.svg`, "image/svg+xml")}>
            SVG
          </Button>
          <Button disabled={!made || code.isFetching} onClick={png}>
            PNG
          </Button>
          <span className="text-ink-2">{made && "Read again by a decoder before it was shown."}</span>
        </Actions>
      </div>
    </div>
  );
}

interface ColourFieldProps {
  label: string;
  value: string;
  error: string | undefined;
  use: string | undefined;
  set: (colour: string) => void;
}

/** A colour, picked or typed; one that does not scan comes with the nearest that does. */
function ColourField({ label, value, error, use, set }: ColourFieldProps) {
  return (
    <div>
      <Field label={label} error={error}>
        {(control) => (
          <div className="grid grid-cols-[36px_minmax(0,1fr)] gap-1.5">
            <Input
              type="color"
              aria-label={`${label}, from a palette`}
              className="h-8 w-full p-0.5"
              value={HEX.test(value) ? value : "#000000"}
              onChange={(event) => set(event.target.value)}
            />
            <Input
              {...control}
              className="w-full"
              maxLength={7}
              spellCheck={false}
              value={value}
              onChange={(event) => set(event.target.value)}
            />
          </div>
        )}
      </Field>
      {use && (
        <Button kind="link" onClick={() => set(use)}>
          Use {use}
        </Button>
      )}
    </div>
  );
}
