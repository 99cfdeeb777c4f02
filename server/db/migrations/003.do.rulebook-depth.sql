-- Money that a rule sets aside for a reason is held, but in no pool.
ALTER TABLE run_cells MODIFY kind ENUM('direct', 'pool', 'held', 'aside', 'unassigned') NOT NULL;

-- A tag clean-up may look at the months before: their bills belong to what the run read.
ALTER TABLE run_bills ADD COLUMN months_back TINYINT UNSIGNED NOT NULL DEFAULT 0;

-- The cost centres and their validity as the run found them, so that it can be replayed; older runs did not keep them.
ALTER TABLE runs ADD COLUMN centres LONGTEXT NULL CHECK (JSON_VALID(centres));

-- What people know a key by, so that lists of charges need not read the whole description.
ALTER TABLE charge_keys CHANGE resource_id resource VARCHAR(400) COLLATE utf8mb4_bin NOT NULL, ADD COLUMN sku VARCHAR(400) COLLATE utf8mb4_bin NOT NULL DEFAULT '';
UPDATE charge_keys SET resource = LEFT(COALESCE(JSON_VALUE(attributes, '$.ResourceName'), resource), 400), sku = LEFT(COALESCE(JSON_VALUE(attributes, '$.SkuId'), ''), 400);

-- Quantities by which pools are shared: of a month, by cost centre or by pool (pool:CODE).
CREATE TABLE drivers (
  code VARCHAR(32) COLLATE utf8mb4_bin PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  unit VARCHAR(60) NOT NULL
);

CREATE TABLE driver_values (
  driver VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  month CHAR(7) CHARACTER SET ascii NOT NULL,
  target VARCHAR(40) COLLATE utf8mb4_bin NOT NULL,
  quantity DECIMAL(22, 10) NOT NULL CHECK (quantity >= 0),
  PRIMARY KEY (driver, month, target),
  FOREIGN KEY (driver) REFERENCES drivers (code) ON DELETE CASCADE
);

-- The quantities that a run was shared by, so that it can be replayed.
ALTER TABLE runs ADD COLUMN drivers LONGTEXT NULL CHECK (JSON_VALID(drivers));

-- A pool may give to another pool; the weights of a mix are integers of any length.
ALTER TABLE run_weights MODIFY cost_centre VARCHAR(40) COLLATE utf8mb4_bin NOT NULL, MODIFY weight VARCHAR(1000) CHARACTER SET ascii NOT NULL, MODIFY base VARCHAR(1000) CHARACTER SET ascii NOT NULL;
