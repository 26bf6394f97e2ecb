import DeskIcon from '@lucide/svelte/icons/lamp-desk';
import StructureIcon from '@lucide/svelte/icons/list-tree';
import DataInIcon from '@lucide/svelte/icons/file-down';
import FormsIcon from '@lucide/svelte/icons/table-properties';
import AccessIcon from '@lucide/svelte/icons/key-round';
import CycleIcon from '@lucide/svelte/icons/refresh-cw';
import BranchIcon from '@lucide/svelte/icons/split';
import InsightIcon from '@lucide/svelte/icons/chart-spline';
import RulesIcon from '@lucide/svelte/icons/list-checks';

/** The areas of work that exist, in the order the work is done. An area without the permission is not shown. */
export const AREAS = [
	{ path: '/desk', name: 'Desk', icon: DeskIcon, permission: undefined },
	{ path: '/structure', name: 'Structure', icon: StructureIcon, permission: 'structure.read' },
	{ path: '/data-in', name: 'Data in', icon: DataInIcon, permission: 'data.read' },
	{ path: '/forms', name: 'Forms', icon: FormsIcon, permission: 'form.read' },
	{ path: '/rules', name: 'Rules', icon: RulesIcon, permission: 'rule.read' },
	{ path: '/access', name: 'Access', icon: AccessIcon, permission: 'access.read' },
	{ path: '/cycle', name: 'Cycle', icon: CycleIcon, permission: 'cycle.read' },
	{ path: '/branches', name: 'What-if', icon: BranchIcon, permission: 'form.read' },
	{ path: '/insight', name: 'Insight', icon: InsightIcon, permission: 'form.read' }
] as const;
