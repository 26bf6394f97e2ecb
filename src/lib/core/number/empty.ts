/** The mark of "no value" in columns of numbers. */
export const EMPTY = Number.NaN;

/** Whether a number of a column stands for "no value". */
export const isEmpty = (value: number): boolean => value !== value;

/** Whether a number of a column is a value (0 included). */
export const isValue = (value: number): boolean => value === value;

/** Whether two values are the same, both empty included. */
export const isSame = (one: number, other: number): boolean => one === other || (isEmpty(one) && isEmpty(other));

/** A value as it travels: null for empty. */
export const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
