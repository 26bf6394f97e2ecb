-- Lists of choices of one's own: dimensions that belong to a model without being an axis of it.
CREATE TABLE choice_list (
	dimension_id integer PRIMARY KEY REFERENCES dimension ON DELETE CASCADE,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE
);
CREATE INDEX choice_list_model ON choice_list (model_id);

-- The dimensions that a model's definitions know: its axes, its lists, and what its accounts choose from, which may belong to
-- another model that shares the accounts.
CREATE VIEW known_dimension (model_id, dimension_id) AS
	SELECT model_id, dimension_id FROM model_dimension
	UNION SELECT model_id, dimension_id FROM choice_list
	UNION SELECT d.model_id, a.choice_dimension FROM account a JOIN member m ON m.id = a.member_id
		JOIN model_dimension d ON d.dimension_id = m.dimension_id WHERE a.choice_dimension IS NOT NULL;
