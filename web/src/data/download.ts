/** Gives a file to the browser to keep. */
export function download(blob: Blob, name: string, ending: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = `${name.replaceAll(/[^\p{L}\p{N} _-]/gu, "")}.${ending}`;
  link.click();
  URL.revokeObjectURL(link.href);
}
