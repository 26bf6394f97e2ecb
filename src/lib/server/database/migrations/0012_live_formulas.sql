-- Live formulas per leaf, several on an account where their scopes do not meet; beside the tree the text as it was
-- written, comments and all, with the members its names are.
ALTER TABLE formula DROP CONSTRAINT formula_pkey;
ALTER TABLE formula DROP CONSTRAINT formula_timing_check;
ALTER TABLE formula ADD COLUMN id integer PRIMARY KEY GENERATED ALWAYS AS IDENTITY;
ALTER TABLE formula ADD CONSTRAINT formula_timing_check CHECK (timing IN ('after totals', 'per leaf'));
ALTER TABLE formula ADD COLUMN script jsonb;
-- Scenarios, first and last leaf period in which it stands; null: everywhere.
ALTER TABLE formula ADD COLUMN scope jsonb;
CREATE UNIQUE INDEX formula_after_totals ON formula (model_id, account_id) WHERE timing = 'after totals';
CREATE INDEX formula_account ON formula (model_id, account_id);
