/** How long a secret may stay on the clipboard, in milliseconds. */
export const CLIPBOARD_TIME = 30_000;

/** Copy text. What the browser does not let us copy is said by the returned `false`. */
export async function copy(text: string): Promise<boolean> {
  try {
    await navigator.clipboard.writeText(text);
    return true;
  } catch {
    return false;
  }
}

/** Copy a secret, and clear the clipboard after a while: in any case, since it may not be read back. */
export async function copySecret(text: string): Promise<boolean> {
  const copied = await copy(text);
  if (copied) window.setTimeout(() => void copy(''), CLIPBOARD_TIME);
  return copied;
}
