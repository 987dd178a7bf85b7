/** Whether the element is around, which answers for its host: it says so in the address of its frame. */
export const hasElement = (): boolean => window.location.hash === '#host';
