import { useQuery } from "@tanstack/react-query";

import { sessionQuery } from "@/api/queries";

/** Under which address the installation is reached: the one that was set, else the one that this page has. */
export const useAddress = (): string => useQuery(sessionQuery).data?.address ?? location.origin;
