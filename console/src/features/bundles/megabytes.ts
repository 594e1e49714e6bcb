/** A number of bytes in the unit that people read. */
export function megabytes(size: number): string {
  if (size >= 1 << 20) return `${(size / (1 << 20)).toFixed(1)} MB`;
  return size >= 1024 ? `${(size / 1024).toFixed(1)} kB` : `${String(size)} bytes`;
}
