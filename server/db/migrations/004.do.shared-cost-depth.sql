-- A load may bring bills, the metering of clusters, or flows of networks.
ALTER TABLE loads ADD COLUMN kind ENUM('bills', 'metering', 'flows') NOT NULL DEFAULT 'bills';

-- What was measured on a UTC day of a cluster, or by a source of network flows, packed; a later file of the same day takes its place.
CREATE TABLE measured_days (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  load_id INT UNSIGNED NOT NULL,
  kind ENUM('metering', 'flows') NOT NULL,
  subject VARCHAR(200) COLLATE utf8mb4_bin NOT NULL,
  day DATE NOT NULL,
  state ENUM('arriving', 'current', 'replaced') NOT NULL DEFAULT 'arriving',
  -- at most one current of a subject and day
  is_current TINYINT AS (IF(state = 'current', 1, NULL)) PERSISTENT,
  content_hash BINARY(32) NOT NULL,
  -- nodes of a cluster, networks of flows
  things INT UNSIGNED NOT NULL,
  -- pod hours, or gigabytes: for reading
  amount DOUBLE NOT NULL,
  packed LONGBLOB NOT NULL,
  UNIQUE KEY (kind, subject, day, is_current),
  KEY (kind, day, state),
  FOREIGN KEY (load_id) REFERENCES loads (id) ON DELETE CASCADE
);

-- The metered days of clusters that a run read.
CREATE TABLE run_meter_days (
  run_id INT UNSIGNED NOT NULL,
  measured_day_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (run_id, measured_day_id)
);

-- Rates of a month by kind, and which kind the month is converted at. A rate per invoice is the one on the provider's invoices of the month.
ALTER TABLE exchange_rates
  ADD COLUMN kind ENUM('average', 'monthEnd', 'invoice') NOT NULL DEFAULT 'average',
  ADD COLUMN provider VARCHAR(200) COLLATE utf8mb4_bin NOT NULL DEFAULT '',
  DROP PRIMARY KEY, ADD PRIMARY KEY (month, kind, currency, provider),
  ADD CHECK ((kind = 'invoice') = (provider <> ''));
ALTER TABLE periods ADD COLUMN rate_kind ENUM('average', 'monthEnd', 'invoice') NOT NULL DEFAULT 'average';
ALTER TABLE run_rates ADD COLUMN provider VARCHAR(200) COLLATE utf8mb4_bin NOT NULL DEFAULT '', DROP PRIMARY KEY, ADD PRIMARY KEY (run_id, currency, provider);

-- Whose each network is: its traffic counts for that cost centre.
CREATE TABLE networks (
  name VARCHAR(200) COLLATE utf8mb4_bin PRIMARY KEY,
  cost_centre VARCHAR(32) COLLATE utf8mb4_bin NOT NULL,
  FOREIGN KEY (cost_centre) REFERENCES cost_centres (code) ON UPDATE CASCADE ON DELETE CASCADE
);

-- Meters that are collected on a schedule, a day at a time.
CREATE TABLE feeds (
  id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL UNIQUE,
  url VARCHAR(1000) NOT NULL,
  schedule VARCHAR(100) NOT NULL,
  enabled BOOLEAN NOT NULL,
  next_day DATE NOT NULL,
  claimed_at DATETIME(3) NULL,
  last_run DATETIME(3) NULL,
  last_result VARCHAR(1000) NOT NULL DEFAULT ''
);
