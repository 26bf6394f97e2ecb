// The people of the demo. Plain JavaScript, because the start script prints them before anything is compiled.

export const DEMO_PASSWORD = 'ferry-lattice-2028';

/**
 * @typedef {{ email: string, name: string, title: string, role: string, grants: { name: string, entity?: string[], department?: string[] }[] }} DemoPerson
 * @type {DemoPerson[]}
 */
export const demoPeople = [
	{
		email: 'maren.kvist@brinewater.example',
		name: 'Maren Kvist',
		title: 'Administrator',
		role: 'administrator',
		grants: [{ name: 'Whole group' }]
	},
	{
		email: 'osric.hale@brinewater.example',
		name: 'Osric Hale',
		title: 'Group controller',
		role: 'controller',
		grants: [{ name: 'Whole group' }]
	},
	{
		email: 'tove.brandal@brinewater.example',
		name: 'Tove Brandal',
		title: 'Planner, Skerry Line',
		role: 'planner',
		grants: [{ name: 'Skerry Line', entity: ['SKE'] }]
	},
	{
		email: 'imke.solberg@brinewater.example',
		name: 'Imke Solberg',
		title: 'Planner, Northgate Line',
		role: 'planner',
		grants: [{ name: 'Northgate Line', entity: ['NOR'] }]
	},
	{
		email: 'lidia.marne@brinewater.example',
		name: 'Lidia Marne',
		title: 'Planner, Amber Coast Line',
		role: 'planner',
		grants: [{ name: 'Amber Coast Line', entity: ['AMB'] }]
	},
	{
		email: 'piet.harrow@brinewater.example',
		name: 'Piet Harrow',
		title: 'Planner, fleet care',
		role: 'planner',
		grants: [{ name: 'Fleet care of all lines', department: ['FC'] }]
	},
	{ email: 'runa.eskild@brinewater.example', name: 'Runa Eskild', title: 'Reviewer, lines', role: 'reviewer', grants: [] },
	{ email: 'caspar.dene@brinewater.example', name: 'Caspar Dene', title: 'Reviewer, group services', role: 'reviewer', grants: [] },
	{ email: 'vera.lindmoor@brinewater.example', name: 'Vera Lindmoor', title: 'Auditor, reads only', role: 'auditor', grants: [] }
];
