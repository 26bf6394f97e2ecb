/** The nonce that lets the page's own style elements in: libraries that make some are told it. */
export const pageNonce = (): string => document.querySelector<HTMLElement>('meta[property=csp-nonce]')?.nonce ?? '';
