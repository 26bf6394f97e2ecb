/** Sets something of one's own sign-in: by verb, with its body and what is said when it is done. */
export type SetOwn = <Answer = Record<string, never>>(verb: string, body: unknown, words: string) => Promise<Answer | undefined>;
