import { useQuery } from "@tanstack/react-query";
import { useForm, type ControllerRenderProps } from "react-hook-form";

import type { Schemas } from "@/api/client";
import { codeQuery } from "@/api/queries";
import { EntryField } from "@/forms/EntryForm";
import { useJudged, useTyped } from "@/forms/useJudged";
import { FieldError, Input, type Control } from "@/ui/Field";
import { useSite } from "@/state/site";
import { Remark } from "@/ui/layout";
import { Actions } from "@/ui/text";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { download } from "@/words/download";

const HEX = /^#[0-9a-f]{6}$/i;
type Printed = Pick<Schemas["CodeRequest"], "dark" | "light" | "caption" | "correction"> & { millimetres: string; quiet: string };

const AS_USUAL: Printed = { dark: "#15283b", light: "#ffffff", millimetres: "30", quiet: "4", correction: "M", caption: "" };

/** A QR code for print: it is read again before it is offered. */
export function QrCode({ url, name }: { url: string; name: string }) {
  const { site } = useSite();
  const form = useForm<Printed>({ defaultValues: AS_USUAL });
  const { typed, settled } = useTyped(form, 300);
  const body = { ...settled, text: url, millimetres: Number(settled.millimetres), quiet: Number(settled.quiet) };
  const code = useQuery(codeQuery(site.key, body));
  const judged = useJudged(form, code.error);
  const field = (name: "millimetres" | "quiet" | "caption", label: string, hint?: string, more: object = {}) => (
    <EntryField entry={judged} name={name} label={label} hint={hint}>
      {(control) => <Input {...control} {...more} />}
    </EntryField>
  );
  const colour = (name: "dark" | "light", label: string) => {
    const instead = code.error?.errors.find((one) => one.field === name)?.use;
    return (
      <div>
        <EntryField entry={judged} name={name} label={label}>
          {(control) => <Colour label={label} {...control} />}
        </EntryField>
        {instead && typed[name] === settled[name] && (
          <Button kind="link" onClick={() => form.setValue(name, instead)}>
            Use {instead}
          </Button>
        )}
      </div>
    );
  };
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
          (judged.trouble ? (
            <FieldError>{judged.trouble}</FieldError>
          ) : (
            <p className="text-ink-2">It is drawn as soon as what is wrong beside it is right.</p>
          ))}
      </div>
      <div className="grid gap-2">
        <div className="grid grid-cols-2 items-start gap-x-3 gap-y-2">
          {colour("dark", "Modules")}
          {colour("light", "Ground")}
          {field("millimetres", "Width in print, mm", made ? `a module is ${made.module_mm} mm` : undefined, { inputMode: "decimal" })}
          {field("quiet", "Quiet zone, modules", "4 is usual", { inputMode: "numeric" })}
        </div>
        <EntryField entry={judged} name="correction" label="Error correction" hint="the more, the more of it can be dirty or covered">
          {(control) => (
            <Select
              {...control}
              options={[
                { value: "L", label: "7 %" },
                { value: "M", label: "15 %" },
                { value: "Q", label: "25 %" },
                { value: "H", label: "30 %" },
              ]}
            />
          )}
        </EntryField>
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

interface ColourProps extends Control, Omit<ControllerRenderProps<Printed, "dark" | "light">, "ref"> {
  label: string;
}

/** A colour, picked or typed. */
function Colour({ label, ...control }: ColourProps) {
  const { value, onChange } = control;
  return (
    <div className="grid grid-cols-[36px_minmax(0,1fr)] gap-1.5">
      <Input
        type="color"
        aria-label={`${label}, from a palette`}
        className="h-8 w-full p-0.5"
        value={HEX.test(value) ? value : "#000000"}
        onChange={onChange}
      />
      <Input {...control} className="w-full" maxLength={7} spellCheck={false} />
    </div>
  );
}
