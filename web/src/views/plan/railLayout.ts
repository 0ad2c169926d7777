export interface Block {
  left: number;
  width: number;
}

/** Narrowest block whose words can still be read, px. */
export const LEAST = 96;

/**
 * Blocks side by side over a width, as long as they last where that leaves every one readable; those
 * that would be too narrow get the least width, and the rest share what is left in proportion.
 */
export function blocksOf(lengths: readonly number[], width: number, least = LEAST): Block[] {
  const count = lengths.length;
  if (count * least >= width) return lengths.map((_, i) => ({ left: i * least, width: least }));
  const widened = new Set<number>();
  const share = () => {
    const others = lengths.filter((_, i) => !widened.has(i)).reduce((sum, one) => sum + one, 0);
    const room = width - widened.size * least;
    return (i: number) => (widened.has(i) ? least : ((lengths[i] ?? 0) / (others || 1)) * room);
  };
  for (let size = share(); ; size = share()) {
    const narrow = lengths.findIndex((_, i) => !widened.has(i) && size(i) < least);
    if (narrow < 0) {
      let left = 0;
      return lengths.map((_, i) => {
        const block = { left, width: size(i) };
        left += block.width;
        return block;
      });
    }
    widened.add(narrow);
  }
}
