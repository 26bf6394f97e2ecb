const IN_BRANCH = /^\/(forms(?!\/new|\/[^/?]+\/design)|branches|insight|trace|desk|account)/;

/** Whether a page of the model shows the branch one is in; the others show the plan, and leading there leaves the branch. */
export const staysInBranch = (path: string): boolean => IN_BRANCH.test(path);
