-- What members of a dimension of movements stand for in a balance (docs/rules.md): for accounts that add up it goes before
-- their own behaviour over time, and decides their rates.
CREATE TABLE balance_role (
	member_id integer PRIMARY KEY REFERENCES member ON DELETE CASCADE,
	role text NOT NULL CHECK (role IN ('opening', 'movement', 'closing'))
);
