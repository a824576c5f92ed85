import { useMutation, useQueryClient } from "@tanstack/react-query";

import { readAnew, type Touched } from "@/api/readAnew";

/** Sends a change; what it touches is read anew once it is done. It is done when it is sent: a slow report holds no button. */
export function useSave<Given, Saved>(
  touches: Touched,
  send: (given: Given) => Promise<Saved>,
  after?: (saved: Saved, given: Given) => void,
) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (saved, given) => {
      after?.(saved, given);
      void readAnew(queries, touches);
    },
  });
}
