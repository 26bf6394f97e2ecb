-- A branch limited to a part of the model: by dimension (id) members (ids), each with all under it; null for all of it.
ALTER TABLE branch ADD COLUMN part jsonb;
-- A rate set that is read in the branch in the place of another one; both or none.
ALTER TABLE branch ADD COLUMN rates_of integer REFERENCES rate_set ON DELETE SET NULL;
ALTER TABLE branch ADD COLUMN rates_by integer REFERENCES rate_set ON DELETE SET NULL;

-- Loads into branches: what they say stands in the branch alone.
ALTER TABLE batch ADD COLUMN branch_id integer REFERENCES branch ON DELETE CASCADE;
-- Of a load of the plan: the branch it was merged with.
ALTER TABLE batch ADD COLUMN merged_branch_id integer REFERENCES branch ON DELETE SET NULL;
CREATE INDEX batch_branch ON batch (branch_id) WHERE branch_id IS NOT NULL;
CREATE INDEX batch_merged_branch ON batch (merged_branch_id) WHERE merged_branch_id IS NOT NULL;

-- What loads have replaced in a branch: of the plan's, nothing of the same import reads through there.
CREATE TABLE branch_load (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	origin_id integer NOT NULL REFERENCES origin ON DELETE CASCADE,
	batch_id integer REFERENCES batch ON DELETE SET NULL,
	-- By dimension (id) the leaf members (ids) it is about, periods among them; and the part the branch was limited to.
	extent jsonb NOT NULL,
	part jsonb,
	-- Whether the file says something of accounts that stand for all time.
	timeless boolean NOT NULL
);
CREATE INDEX branch_load_branch ON branch_load (branch_id);

-- Notes written within a branch: seen there, and in the plan once it is merged.
ALTER TABLE note ADD COLUMN branch_id integer REFERENCES branch ON DELETE CASCADE;
