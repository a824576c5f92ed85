import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { ApiError, type Schemas } from "@/api/client";
import { codeQuery } from "@/app/queries";
import { fieldErrors } from "@/pieces/fieldErrors";
import { Field, Input } from "@/ui/Field";
import { useDebouncedValue } from "@/state/useDebouncedValue";
import { useView } from "@/state/view";
import { Button } from "@/ui/Button";
import { Select } from "@/ui/Select";
import { download } from "@/words/download";

const SHOWN = ["dark", "light", "millimetres", "quiet", "caption", "text"];

/** A QR code for print: it is read again before it is offered. */
export function QrCode({ url }: { url: string }) {
  const { site } = useView();
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
  const { of, all } = fieldErrors(code.error, SHOWN);
  const field = (name: keyof typeof form, label: string, hint?: string, more: object = {}) => (
    <Field label={label} hint={hint} error={of(name)}>
      {(control) => (
        <Input {...control} {...more} value={form[name]} onChange={(event) => setForm({ ...form, [name]: event.target.value })} />
      )}
    </Field>
  );
  const made = code.isError ? null : code.data;
  const png = () => {
    const bytes = Uint8Array.from(atob(made?.png ?? ""), (sign) => sign.charCodeAt(0));
    download(new Blob([bytes], { type: "image/png" }), "link.png");
  };
  return (
    <div className="qr" role="group" aria-label="QR code">
      <div className="qr-picture" aria-busy={code.isFetching}>
        {made && <img src={`data:image/svg+xml,${encodeURIComponent(made.svg)}`} alt={`QR code for ${url}`} />}
        {code.isError && (
          <p className="wrong" role="alert">
            {all ?? (code.error instanceof ApiError ? code.error.problem.detail : code.error.message)}
          </p>
        )}
      </div>
      <div className="form">
        <div className="pair">
          {field("dark", "Modules", undefined, { type: "color", className: "h-8 w-full p-0.5" })}
          {field("light", "Ground", undefined, { type: "color", className: "h-8 w-full p-0.5" })}
          {field("millimetres", "Width in print, mm", made ? `a module is ${made.module_mm} mm` : undefined, { inputMode: "decimal" })}
          {field("quiet", "Quiet zone, modules", "4 is usual", { inputMode: "numeric" })}
        </div>
        <Field label="Error correction" hint="the more, the more of it can be dirty or covered">
          {(control) => (
            <Select
              {...control}
              value={form.correction}
              onChange={(to) => setForm({ ...form, correction: to })}
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
          <p key={remark} className="remark">
            {remark}
          </p>
        ))}
        <div className="end">
          <Button disabled={!made || code.isFetching} onClick={() => download(made?.svg ?? "", "link.svg", "image/svg+xml")}>
            SVG
          </Button>
          <Button disabled={!made || code.isFetching} onClick={png}>
            PNG
          </Button>
          <span className="quiet">{made && "Read again by a decoder before it was shown."}</span>
        </div>
      </div>
    </div>
  );
}
