export interface DemoPerson {
	email: string;
	name: string;
	title: string;
	role: string;
	grants: { name: string; entity?: string[]; department?: string[] }[];
}
export const DEMO_PASSWORD: string;
export const demoPeople: DemoPerson[];
