import { PERMISSIONS, type Permission } from '../session';

/** Roles an installation begins with; all of them can be changed, and copied. */
export const READY_ROLES: readonly { code: string; name: string; description: string; permissions: readonly Permission[] }[] = [
	{ code: 'administrator', name: 'Administrator', description: 'Everything, and who may do what', permissions: PERMISSIONS },
	{
		code: 'controller',
		name: 'Controller',
		description: 'Loads, designs, writes rules, runs them; sees who may do what',
		permissions: PERMISSIONS.filter((permission) => !['structure.write', 'access.write', 'access.look'].includes(permission))
	},
	{
		code: 'planner',
		name: 'Planner',
		description: 'Fills in forms where they were given a grant',
		permissions: ['form.read', 'form.enter', 'rule.run', 'cycle.read', 'branch.write']
	},
	{ code: 'reviewer', name: 'Reviewer', description: 'Looks at forms', permissions: ['form.read', 'cycle.read'] },
	{
		code: 'auditor',
		name: 'Auditor',
		description: 'Looks at everything and changes nothing',
		permissions: ['structure.read', 'data.read', 'form.read', 'rule.read', 'cycle.read']
	}
];
