CREATE TABLE alembic_version (
    version_num VARCHAR(32) NOT NULL,
    CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
CREATE TABLE bike (
    id INTEGER NOT NULL,
    name VARCHAR(200) NOT NULL,
    document JSON NOT NULL,
    opened_at DATETIME NOT NULL, archived BOOLEAN DEFAULT 0 NOT NULL, uid VARCHAR(40),
    PRIMARY KEY (id)
);
CREATE TABLE tune (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    role VARCHAR(20) NOT NULL,
    name VARCHAR(200) NOT NULL,
    document JSON NOT NULL,
    at DATETIME NOT NULL, uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_tune_bike_id ON tune (bike_id);
CREATE TABLE backup (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    serial VARCHAR(100) NOT NULL,
    document JSON NOT NULL,
    at DATETIME NOT NULL, uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_backup_bike_id ON backup (bike_id);
CREATE TABLE ride (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    name VARCHAR(200) NOT NULL,
    file VARCHAR(300) NOT NULL,
    tune JSON,
    at DATETIME NOT NULL, card JSON, uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_ride_bike_id ON ride (bike_id);
CREATE TABLE event (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    kind VARCHAR(30) NOT NULL,
    title VARCHAR(300) NOT NULL,
    detail VARCHAR NOT NULL,
    at DATETIME NOT NULL, file VARCHAR(300), uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_event_bike_id ON event (bike_id);
CREATE INDEX ix_event_at ON event (at);
CREATE TABLE job (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    title VARCHAR(200) NOT NULL,
    steps JSON NOT NULL,
    opened_at DATETIME NOT NULL,
    closed BOOLEAN DEFAULT 0 NOT NULL, uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_job_bike_id ON job (bike_id);
CREATE TABLE calibration (
    id INTEGER NOT NULL,
    bike_id INTEGER NOT NULL,
    kind VARCHAR(30) NOT NULL,
    document JSON NOT NULL,
    at DATETIME NOT NULL, uid VARCHAR(40),
    PRIMARY KEY (id),
    FOREIGN KEY(bike_id) REFERENCES bike (id)
);
CREATE INDEX ix_calibration_bike_id ON calibration (bike_id);
CREATE TABLE stored_file (
    name VARCHAR(80) NOT NULL,
    data BLOB NOT NULL,
    PRIMARY KEY (name)
);
CREATE TABLE presence (
    bench VARCHAR(40) NOT NULL,
    who VARCHAR(100) NOT NULL,
    bike_uid VARCHAR(40),
    at DATETIME NOT NULL,
    PRIMARY KEY (bench)
);
CREATE TABLE fact (
    name VARCHAR(40) NOT NULL,
    value VARCHAR(200) NOT NULL,
    PRIMARY KEY (name)
);
CREATE TABLE customer (
    id INTEGER NOT NULL,
    document JSON NOT NULL,
    uid VARCHAR(40),
    PRIMARY KEY (id)
);
CREATE TABLE erased (
    id INTEGER NOT NULL,
    uid VARCHAR(40) NOT NULL,
    what VARCHAR(20) NOT NULL,
    at DATETIME NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (uid)
);
INSERT INTO alembic_version (version_num) VALUES ('0009');
