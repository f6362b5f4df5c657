/** What an arrow key moves by: right and up, in steps; nothing for other keys. */
export const arrowOf = (key: string): [number, number] | undefined =>
  ({
    ArrowRight: [1, 0] as [number, number],
    ArrowLeft: [-1, 0] as [number, number],
    ArrowUp: [0, 1] as [number, number],
    ArrowDown: [0, -1] as [number, number],
  })[key];
