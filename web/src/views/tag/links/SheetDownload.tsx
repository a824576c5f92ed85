import { useMutation } from "@tanstack/react-query";

import { askSheet } from "@/api/sheets";
import { useSite } from "@/state/site";
import { Button } from "@/ui/Button";
import { FieldError } from "@/ui/Field";
import { Actions } from "@/ui/text";
import { download } from "@/words/download";
import { sheetOf, type LinkDraft } from "@/words/links";

/** The links of the form as a CSV file. */
export function SheetDownload({ drafts }: { drafts: LinkDraft[] }) {
  const { site } = useSite();
  const finish = useMutation({
    mutationFn: () => askSheet(site.key, sheetOf(drafts)),
    onSuccess: (text) => download(text, "links.csv", "text/csv"),
  });
  return (
    <Actions>
      <Button kind="link" disabled={finish.isPending} onClick={() => finish.mutate()}>
        Save as a CSV file
      </Button>
      {finish.error && <FieldError>{finish.error.detail} No file was made.</FieldError>}
    </Actions>
  );
}
