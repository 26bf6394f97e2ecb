/** What a grid cell is to the reader; one letter each in `FormAnswer.marks`. */
export const MARKS = { enter: 'e', spread: 's', computed: 'c', closed: 'x', held: 'h', refused: 'r' } as const;
