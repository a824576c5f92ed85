/** Whether what the server calls `field` belongs to `path`: to all of it with an empty one. */
export const begins = (field: string, path: string): boolean => path === "" || field === path || field.startsWith(`${path}.`);
