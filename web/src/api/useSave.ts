import { useMutation, useQueryClient } from "@tanstack/react-query";

import { readAnew } from "@/api/readAnew";

/** Sends a change; whatever is shown is read anew once it is done. It is done when it is sent: a slow report holds no button. */
export function useSave<UseSaveProps, Saved>(
  send: (given: UseSaveProps) => Promise<Saved>,
  after?: (saved: Saved, given: UseSaveProps) => void,
) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (saved, given) => {
      after?.(saved, given);
      void readAnew(queries);
    },
  });
}
