/** The line that goes into the head of every page of a site. */
export const siteCode = (origin: string, key: string): string => `<script defer src="${origin}/uc.js?site=${key}"></script>`;
