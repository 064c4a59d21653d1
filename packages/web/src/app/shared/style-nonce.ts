/**
 * The nonce with which the page takes styles that come later (Content Security Policy Level 3, 8.1); the server gives it to the root. Editors and tables
 * bring styles of their own.
 */
export const styleNonce = document.querySelector('[ngCspNonce]')?.getAttribute('ngCspNonce') ?? '';
