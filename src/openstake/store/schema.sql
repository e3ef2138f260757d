CREATE TABLE alembic_version (
	version_num VARCHAR(32) NOT NULL, 
	CONSTRAINT alembic_version_pkc PRIMARY KEY (version_num)
);
CREATE TABLE device (
	id VARCHAR(36) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE book (
	id VARCHAR(36) NOT NULL, 
	device_id VARCHAR(36) NOT NULL, 
	sequence INTEGER NOT NULL, 
	job_id VARCHAR(36), 
	text TEXT NOT NULL, 
	previous_hash VARCHAR(64) NOT NULL, 
	hash VARCHAR(64) NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(device_id) REFERENCES device (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (device_id, sequence)
);
CREATE INDEX ix_book_job_id ON book (job_id);
CREATE TABLE imported_file (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	content BLOB NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE TABLE occupation (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	mark_id VARCHAR(36) NOT NULL, 
	station_id INTEGER NOT NULL, 
	started_s FLOAT NOT NULL, setup_id VARCHAR(36), 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(mark_id) REFERENCES mark (id)
);
CREATE INDEX ix_occupation_job_id ON occupation (job_id);
CREATE TABLE base_coordinate (
	id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	x_m FLOAT NOT NULL, 
	y_m FLOAT NOT NULL, 
	z_m FLOAT NOT NULL, 
	source VARCHAR(16) NOT NULL, 
	detail TEXT NOT NULL, 
	accuracy_horizontal_95_m FLOAT NOT NULL, 
	accuracy_vertical_95_m FLOAT NOT NULL, 
	frame VARCHAR(200) NOT NULL, 
	frame_epoch VARCHAR(80) NOT NULL, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, evidence_id VARCHAR(36), locked BOOLEAN DEFAULT 0 NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id), 
	FOREIGN KEY(replaces_id) REFERENCES base_coordinate (id), 
	UNIQUE (replaces_id)
);
CREATE INDEX ix_base_coordinate_occupation_id ON base_coordinate (occupation_id);
CREATE TABLE height_reading (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36), 
	subject VARCHAR(8) NOT NULL, 
	text VARCHAR(80) NOT NULL, 
	reading_m FLOAT NOT NULL, 
	method VARCHAR(16) NOT NULL, 
	feature_name VARCHAR(20) NOT NULL, 
	feature VARCHAR(80) NOT NULL, 
	rim_radius_m FLOAT NOT NULL, 
	feature_to_arp_m FLOAT NOT NULL, 
	arp_height_m FLOAT NOT NULL, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, setup_id VARCHAR(36), moment VARCHAR(8) DEFAULT 'before' NOT NULL, who VARCHAR(80) DEFAULT '' NOT NULL, set_aside BOOLEAN DEFAULT 0 NOT NULL, bare_unit VARCHAR(4) DEFAULT 'm' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id), 
	FOREIGN KEY(replaces_id) REFERENCES height_reading (id), 
	UNIQUE (replaces_id)
);
CREATE INDEX ix_height_reading_occupation_id ON height_reading (occupation_id);
CREATE TABLE listening (
	id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	base_url TEXT, 
	rover_url TEXT, 
	refers_to VARCHAR(8) NOT NULL, 
	arp_to_apc_m FLOAT, 
	started_s FLOAT NOT NULL, receiver_url TEXT, device VARCHAR(200) DEFAULT '' NOT NULL, further BOOLEAN DEFAULT 0 NOT NULL, withdrawn BOOLEAN DEFAULT 0 NOT NULL, replaces_id VARCHAR(36), 
	PRIMARY KEY (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id)
);
CREATE INDEX ix_listening_occupation_id ON listening (occupation_id);
CREATE TABLE occupation_end (
	occupation_id VARCHAR(36) NOT NULL, 
	ended_s FLOAT NOT NULL, 
	PRIMARY KEY (occupation_id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id)
);
CREATE TABLE reference (
	id VARCHAR(36) NOT NULL, 
	listening_id VARCHAR(36) NOT NULL, 
	origin VARCHAR(16) NOT NULL, 
	station_id INTEGER NOT NULL, 
	x_m FLOAT NOT NULL, 
	y_m FLOAT NOT NULL, 
	z_m FLOAT NOT NULL, 
	antenna_height_m FLOAT, 
	"virtual" BOOLEAN NOT NULL, 
	raw_file VARCHAR(200) NOT NULL, 
	raw_offset INTEGER NOT NULL, 
	heard_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(listening_id) REFERENCES listening (id)
);
CREATE INDEX ix_reference_listening_id ON reference (listening_id);
CREATE TABLE shot_epoch (
	shot_id VARCHAR(36) NOT NULL, 
	n INTEGER NOT NULL, 
	time_of_day_s FLOAT, 
	date VARCHAR(10), 
	host_s FLOAT NOT NULL, 
	quality INTEGER NOT NULL, 
	latitude_text VARCHAR(24) NOT NULL, 
	longitude_text VARCHAR(24) NOT NULL, 
	altitude_m FLOAT, 
	separation_m FLOAT, 
	satellites INTEGER, 
	pdop FLOAT, 
	hdop FLOAT, 
	vdop FLOAT, 
	age_s FLOAT, 
	station_id INTEGER, 
	sigma_east_m FLOAT, 
	sigma_north_m FLOAT, 
	sigma_up_m FLOAT, 
	reference_id VARCHAR(36), sigma_major_m FLOAT, sigma_minor_m FLOAT, orientation_deg FLOAT, used BOOLEAN DEFAULT 1 NOT NULL, 
	PRIMARY KEY (shot_id, n), 
	FOREIGN KEY(shot_id) REFERENCES shot (id)
);
CREATE TRIGGER occupation_no_update BEFORE UPDATE ON occupation BEGIN SELECT RAISE(ABORT, 'occupation rows are never changed'); END;
CREATE TRIGGER occupation_no_delete BEFORE DELETE ON occupation BEGIN SELECT RAISE(ABORT, 'occupation rows are never changed'); END;
CREATE TRIGGER height_reading_no_delete BEFORE DELETE ON height_reading BEGIN SELECT RAISE(ABORT, 'height_reading rows are never changed'); END;
CREATE TRIGGER base_coordinate_no_update BEFORE UPDATE ON base_coordinate BEGIN SELECT RAISE(ABORT, 'base_coordinate rows are never changed'); END;
CREATE TRIGGER base_coordinate_no_delete BEFORE DELETE ON base_coordinate BEGIN SELECT RAISE(ABORT, 'base_coordinate rows are never changed'); END;
CREATE TRIGGER listening_no_delete BEFORE DELETE ON listening BEGIN SELECT RAISE(ABORT, 'listening rows are never changed'); END;
CREATE TRIGGER occupation_end_no_update BEFORE UPDATE ON occupation_end BEGIN SELECT RAISE(ABORT, 'occupation_end rows are never changed'); END;
CREATE TRIGGER occupation_end_no_delete BEFORE DELETE ON occupation_end BEGIN SELECT RAISE(ABORT, 'occupation_end rows are never changed'); END;
CREATE TRIGGER reference_no_update BEFORE UPDATE ON reference BEGIN SELECT RAISE(ABORT, 'reference rows are never changed'); END;
CREATE TRIGGER reference_no_delete BEFORE DELETE ON reference BEGIN SELECT RAISE(ABORT, 'reference rows are never changed'); END;
CREATE TRIGGER shot_epoch_no_update BEFORE UPDATE ON shot_epoch BEGIN SELECT RAISE(ABORT, 'shot_epoch rows are never changed'); END;
CREATE TRIGGER shot_epoch_no_delete BEFORE DELETE ON shot_epoch BEGIN SELECT RAISE(ABORT, 'shot_epoch rows are never changed'); END;
CREATE TRIGGER book_no_update BEFORE UPDATE ON book BEGIN SELECT RAISE(ABORT, 'book rows are never changed'); END;
CREATE TRIGGER book_no_delete BEFORE DELETE ON book BEGIN SELECT RAISE(ABORT, 'book rows are never changed'); END;
CREATE TRIGGER imported_file_no_update BEFORE UPDATE ON imported_file BEGIN SELECT RAISE(ABORT, 'imported_file rows are never changed'); END;
CREATE TRIGGER imported_file_no_delete BEFORE DELETE ON imported_file BEGIN SELECT RAISE(ABORT, 'imported_file rows are never changed'); END;
CREATE TABLE geoid_grid (
	id VARCHAR(36) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	file VARCHAR(200) NOT NULL, 
	training_only BOOLEAN NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE job_settings (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	archived BOOLEAN NOT NULL, 
	client VARCHAR(200) NOT NULL, 
	task VARCHAR(200) NOT NULL, 
	crew VARCHAR(200) NOT NULL, 
	time_zone VARCHAR(64) NOT NULL, 
	notes TEXT NOT NULL, 
	length_unit VARCHAR(8) NOT NULL, 
	frame TEXT NOT NULL, 
	system_label VARCHAR(200) NOT NULL, 
	frame_name VARCHAR(200) NOT NULL, 
	frame_epoch VARCHAR(80) NOT NULL, 
	vertical_system VARCHAR(200) NOT NULL, 
	geoid_id VARCHAR(36), 
	project_height_m FLOAT, 
	place_latitude_deg FLOAT, 
	place_longitude_deg FLOAT, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, height_limit_m FLOAT DEFAULT '0.003' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(geoid_id) REFERENCES geoid_grid (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES job_settings (id)
);
CREATE INDEX ix_job_settings_job_id ON job_settings (job_id);
CREATE TABLE "job" (
	id VARCHAR(36) NOT NULL, 
	practice BOOLEAN NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id)
);
CREATE TABLE "mark" (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(80) NOT NULL, 
	east_m FLOAT, 
	north_m FLOAT, 
	height_m FLOAT, 
	height_kind VARCHAR(16), 
	sigma_horizontal_m FLOAT NOT NULL, 
	sigma_vertical_m FLOAT NOT NULL, 
	source VARCHAR(200) NOT NULL, 
	note TEXT NOT NULL, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, 
	latitude_deg FLOAT, 
	longitude_deg FLOAT, 
	order_class VARCHAR(200) DEFAULT '' NOT NULL, 
	check_only BOOLEAN DEFAULT 0 NOT NULL, 
	withdrawn BOOLEAN DEFAULT 0 NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES mark (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_mark_job_id ON mark (job_id);
CREATE TABLE gear (
	id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	kind VARCHAR(16) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	data TEXT NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES gear (id)
);
CREATE INDEX ix_gear_line_id ON gear (line_id);
CREATE TABLE profile (
	id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	version INTEGER NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	role VARCHAR(16) NOT NULL, 
	data TEXT NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES profile (id)
);
CREATE INDEX ix_profile_line_id ON profile (line_id);
CREATE TRIGGER job_no_update BEFORE UPDATE ON job BEGIN SELECT RAISE(ABORT, 'job rows are never changed'); END;
CREATE TRIGGER job_no_delete BEFORE DELETE ON job BEGIN SELECT RAISE(ABORT, 'job rows are never changed'); END;
CREATE TRIGGER job_settings_no_update BEFORE UPDATE ON job_settings BEGIN SELECT RAISE(ABORT, 'job_settings rows are never changed'); END;
CREATE TRIGGER job_settings_no_delete BEFORE DELETE ON job_settings BEGIN SELECT RAISE(ABORT, 'job_settings rows are never changed'); END;
CREATE TRIGGER geoid_grid_no_update BEFORE UPDATE ON geoid_grid BEGIN SELECT RAISE(ABORT, 'geoid_grid rows are never changed'); END;
CREATE TRIGGER geoid_grid_no_delete BEFORE DELETE ON geoid_grid BEGIN SELECT RAISE(ABORT, 'geoid_grid rows are never changed'); END;
CREATE TRIGGER mark_no_update BEFORE UPDATE ON mark BEGIN SELECT RAISE(ABORT, 'mark rows are never changed'); END;
CREATE TRIGGER mark_no_delete BEFORE DELETE ON mark BEGIN SELECT RAISE(ABORT, 'mark rows are never changed'); END;
CREATE TRIGGER gear_no_update BEFORE UPDATE ON gear BEGIN SELECT RAISE(ABORT, 'gear rows are never changed'); END;
CREATE TRIGGER gear_no_delete BEFORE DELETE ON gear BEGIN SELECT RAISE(ABORT, 'gear rows are never changed'); END;
CREATE TRIGGER profile_no_update BEFORE UPDATE ON profile BEGIN SELECT RAISE(ABORT, 'profile rows are never changed'); END;
CREATE TRIGGER profile_no_delete BEFORE DELETE ON profile BEGIN SELECT RAISE(ABORT, 'profile rows are never changed'); END;
CREATE TABLE setup (
	id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	dropped BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES setup (id)
);
CREATE INDEX ix_setup_line_id ON setup (line_id);
CREATE INDEX ix_setup_job_id ON setup (job_id);
CREATE TABLE photo (
	id VARCHAR(36) NOT NULL, 
	setup_id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	media_type VARCHAR(40) NOT NULL, 
	file VARCHAR(200) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_photo_setup_id ON photo (setup_id);
CREATE TABLE position_average (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	purpose VARCHAR(8) NOT NULL, 
	mark_id VARCHAR(36), 
	setup_id VARCHAR(36), 
	origin TEXT NOT NULL, 
	refers_to VARCHAR(8) NOT NULL, 
	arp_to_apc_m FLOAT, 
	height_reading_id VARCHAR(36), 
	x_m FLOAT NOT NULL, 
	y_m FLOAT NOT NULL, 
	z_m FLOAT NOT NULL, 
	epochs INTEGER NOT NULL, 
	used INTEGER NOT NULL, 
	span_s FLOAT NOT NULL, 
	effective_n FLOAT NOT NULL, 
	lowest_status VARCHAR(8) NOT NULL, 
	accuracy_95_m FLOAT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(mark_id) REFERENCES mark (id), 
	FOREIGN KEY(height_reading_id) REFERENCES height_reading (id)
);
CREATE INDEX ix_position_average_job_id ON position_average (job_id);
CREATE INDEX ix_position_average_mark_id ON position_average (mark_id);
CREATE TABLE average_epoch (
	average_id VARCHAR(36) NOT NULL, 
	n INTEGER NOT NULL, 
	time_of_day_s FLOAT, 
	date VARCHAR(10), 
	host_s FLOAT NOT NULL, 
	quality INTEGER NOT NULL, 
	latitude_text VARCHAR(24) NOT NULL, 
	longitude_text VARCHAR(24) NOT NULL, 
	altitude_m FLOAT, 
	separation_m FLOAT, 
	satellites INTEGER, 
	pdop FLOAT, 
	hdop FLOAT, 
	vdop FLOAT, 
	age_s FLOAT, 
	station_id INTEGER, 
	sigma_east_m FLOAT, 
	sigma_north_m FLOAT, 
	sigma_up_m FLOAT, 
	reference_id VARCHAR(36), sigma_major_m FLOAT, sigma_minor_m FLOAT, orientation_deg FLOAT, 
	PRIMARY KEY (average_id, n), 
	FOREIGN KEY(average_id) REFERENCES position_average (id)
);
CREATE TABLE static_log (
	id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	raw_file VARCHAR(200) NOT NULL, 
	raw_offset INTEGER NOT NULL, 
	started_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id)
);
CREATE INDEX ix_static_log_occupation_id ON static_log (occupation_id);
CREATE TABLE static_log_end (
	log_id VARCHAR(36) NOT NULL, 
	raw_file VARCHAR(200) NOT NULL, 
	raw_offset INTEGER NOT NULL, 
	ended_s FLOAT NOT NULL, 
	PRIMARY KEY (log_id), 
	FOREIGN KEY(log_id) REFERENCES static_log (id)
);
CREATE INDEX ix_height_reading_setup_id ON height_reading (setup_id);
CREATE INDEX ix_occupation_setup_id ON occupation (setup_id);
CREATE TRIGGER setup_no_delete BEFORE DELETE ON setup BEGIN SELECT RAISE(ABORT, 'setup rows are never changed'); END;
CREATE TRIGGER photo_no_update BEFORE UPDATE ON photo BEGIN SELECT RAISE(ABORT, 'photo rows are never changed'); END;
CREATE TRIGGER photo_no_delete BEFORE DELETE ON photo BEGIN SELECT RAISE(ABORT, 'photo rows are never changed'); END;
CREATE TRIGGER position_average_no_update BEFORE UPDATE ON position_average BEGIN SELECT RAISE(ABORT, 'position_average rows are never changed'); END;
CREATE TRIGGER position_average_no_delete BEFORE DELETE ON position_average BEGIN SELECT RAISE(ABORT, 'position_average rows are never changed'); END;
CREATE TRIGGER average_epoch_no_update BEFORE UPDATE ON average_epoch BEGIN SELECT RAISE(ABORT, 'average_epoch rows are never changed'); END;
CREATE TRIGGER average_epoch_no_delete BEFORE DELETE ON average_epoch BEGIN SELECT RAISE(ABORT, 'average_epoch rows are never changed'); END;
CREATE TRIGGER static_log_no_update BEFORE UPDATE ON static_log BEGIN SELECT RAISE(ABORT, 'static_log rows are never changed'); END;
CREATE TRIGGER static_log_no_delete BEFORE DELETE ON static_log BEGIN SELECT RAISE(ABORT, 'static_log rows are never changed'); END;
CREATE TRIGGER static_log_end_no_update BEFORE UPDATE ON static_log_end BEGIN SELECT RAISE(ABORT, 'static_log_end rows are never changed'); END;
CREATE TRIGGER static_log_end_no_delete BEFORE DELETE ON static_log_end BEGIN SELECT RAISE(ABORT, 'static_log_end rows are never changed'); END;
CREATE TABLE request_key (
	"key" VARCHAR(80) NOT NULL, 
	PRIMARY KEY ("key")
);
CREATE TRIGGER height_reading_no_update BEFORE UPDATE ON height_reading BEGIN SELECT RAISE(ABORT, 'height_reading rows are never changed'); END;
CREATE TRIGGER listening_no_update BEFORE UPDATE ON listening BEGIN SELECT RAISE(ABORT, 'listening rows are never changed'); END;
CREATE TRIGGER setup_no_update BEFORE UPDATE ON setup BEGIN SELECT RAISE(ABORT, 'setup rows are never changed'); END;
CREATE TABLE "shot" (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	listening_id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	mark_id VARCHAR(36), 
	name VARCHAR(80) NOT NULL, 
	height_reading_id VARCHAR(36) NOT NULL, 
	reference_id VARCHAR(36) NOT NULL, 
	refers_to VARCHAR(8) NOT NULL, 
	arp_to_apc_m FLOAT, 
	seconds FLOAT NOT NULL, 
	fixed_only BOOLEAN NOT NULL, 
	tolerance_horizontal_m FLOAT, 
	tolerance_vertical_m FLOAT, 
	covariance_origin VARCHAR(16) NOT NULL, 
	sigma_east_m FLOAT, 
	sigma_north_m FLOAT, 
	sigma_up_m FLOAT, 
	effective_n FLOAT, 
	frame VARCHAR(200) NOT NULL, 
	frame_epoch VARCHAR(80) NOT NULL, 
	started_s FLOAT NOT NULL, 
	created_s FLOAT NOT NULL, 
	rests_on TEXT DEFAULT '[]' NOT NULL, 
	covariance_en_m2 FLOAT, 
	kind VARCHAR(12) DEFAULT 'check' NOT NULL, 
	initialised_s FLOAT, 
	tilt VARCHAR(8) DEFAULT '' NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(reference_id) REFERENCES reference (id), 
	FOREIGN KEY(listening_id) REFERENCES listening (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(height_reading_id) REFERENCES height_reading (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id), 
	FOREIGN KEY(mark_id) REFERENCES mark (id)
);
CREATE INDEX ix_shot_occupation_id ON shot (occupation_id);
CREATE TRIGGER shot_no_delete BEFORE DELETE ON shot BEGIN SELECT RAISE(ABORT, 'shot rows are never changed'); END;
CREATE TRIGGER shot_no_update BEFORE UPDATE ON shot BEGIN SELECT RAISE(ABORT, 'shot rows are never changed'); END;
CREATE UNIQUE INDEX ix_listening_replaces_id ON listening (replaces_id);
CREATE TABLE point_label (
	id VARCHAR(36) NOT NULL, 
	shot_id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(80) NOT NULL, 
	code VARCHAR(80) NOT NULL, 
	note TEXT NOT NULL, 
	taken_out BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(shot_id) REFERENCES shot (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES point_label (id)
);
CREATE INDEX ix_point_label_shot_id ON point_label (shot_id);
CREATE INDEX ix_point_label_job_name ON point_label (job_id, name);
CREATE TABLE shot_settings (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES shot_settings (id)
);
CREATE INDEX ix_shot_settings_job_id ON shot_settings (job_id);
CREATE TABLE bench_test (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36), 
	data TEXT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_bench_test_job_id ON bench_test (job_id);
CREATE TRIGGER point_label_no_update BEFORE UPDATE ON point_label BEGIN SELECT RAISE(ABORT, 'point_label rows are never changed'); END;
CREATE TRIGGER point_label_no_delete BEFORE DELETE ON point_label BEGIN SELECT RAISE(ABORT, 'point_label rows are never changed'); END;
CREATE TRIGGER shot_settings_no_update BEFORE UPDATE ON shot_settings BEGIN SELECT RAISE(ABORT, 'shot_settings rows are never changed'); END;
CREATE TRIGGER shot_settings_no_delete BEFORE DELETE ON shot_settings BEGIN SELECT RAISE(ABORT, 'shot_settings rows are never changed'); END;
CREATE TRIGGER bench_test_no_update BEFORE UPDATE ON bench_test BEGIN SELECT RAISE(ABORT, 'bench_test rows are never changed'); END;
CREATE TRIGGER bench_test_no_delete BEFORE DELETE ON bench_test BEGIN SELECT RAISE(ABORT, 'bench_test rows are never changed'); END;
CREATE TABLE check_settings (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES check_settings (id)
);
CREATE INDEX ix_check_settings_job_id ON check_settings (job_id);
CREATE TABLE site_change (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	kind VARCHAR(16) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id)
);
CREATE INDEX ix_site_change_occupation_id ON site_change (occupation_id);
CREATE TABLE ground_measure (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	kind VARCHAR(12) NOT NULL, 
	from_shot_id VARCHAR(36) NOT NULL, 
	to_shot_id VARCHAR(36) NOT NULL, 
	text VARCHAR(80) NOT NULL, 
	measured_m FLOAT NOT NULL, 
	from_above_m FLOAT NOT NULL, 
	to_above_m FLOAT NOT NULL, 
	sigma_m FLOAT NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(from_shot_id) REFERENCES shot (id), 
	FOREIGN KEY(to_shot_id) REFERENCES shot (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES ground_measure (id)
);
CREATE INDEX ix_ground_measure_job_id ON ground_measure (job_id);
CREATE TABLE shot_series (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	kind VARCHAR(16) NOT NULL, 
	data TEXT NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES shot_series (id)
);
CREATE INDEX ix_shot_series_job_id ON shot_series (job_id);
CREATE TABLE shot_series_item (
	id VARCHAR(36) NOT NULL, 
	series_id VARCHAR(36) NOT NULL, 
	place VARCHAR(16) NOT NULL, 
	shot_id VARCHAR(36) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(series_id) REFERENCES shot_series (id), 
	FOREIGN KEY(shot_id) REFERENCES shot (id)
);
CREATE INDEX ix_shot_series_item_series_id ON shot_series_item (series_id);
CREATE TRIGGER check_settings_no_update BEFORE UPDATE ON check_settings BEGIN SELECT RAISE(ABORT, 'check_settings rows are never changed'); END;
CREATE TRIGGER check_settings_no_delete BEFORE DELETE ON check_settings BEGIN SELECT RAISE(ABORT, 'check_settings rows are never changed'); END;
CREATE TRIGGER site_change_no_update BEFORE UPDATE ON site_change BEGIN SELECT RAISE(ABORT, 'site_change rows are never changed'); END;
CREATE TRIGGER site_change_no_delete BEFORE DELETE ON site_change BEGIN SELECT RAISE(ABORT, 'site_change rows are never changed'); END;
CREATE TRIGGER ground_measure_no_update BEFORE UPDATE ON ground_measure BEGIN SELECT RAISE(ABORT, 'ground_measure rows are never changed'); END;
CREATE TRIGGER ground_measure_no_delete BEFORE DELETE ON ground_measure BEGIN SELECT RAISE(ABORT, 'ground_measure rows are never changed'); END;
CREATE TRIGGER shot_series_no_update BEFORE UPDATE ON shot_series BEGIN SELECT RAISE(ABORT, 'shot_series rows are never changed'); END;
CREATE TRIGGER shot_series_no_delete BEFORE DELETE ON shot_series BEGIN SELECT RAISE(ABORT, 'shot_series rows are never changed'); END;
CREATE TRIGGER shot_series_item_no_update BEFORE UPDATE ON shot_series_item BEGIN SELECT RAISE(ABORT, 'shot_series_item rows are never changed'); END;
CREATE TRIGGER shot_series_item_no_delete BEFORE DELETE ON shot_series_item BEGIN SELECT RAISE(ABORT, 'shot_series_item rows are never changed'); END;
CREATE TABLE fit_mark (
	id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(80) NOT NULL, 
	local_e_m FLOAT NOT NULL, 
	local_n_m FLOAT NOT NULL, 
	local_h_m FLOAT, 
	sigma_h_m FLOAT, 
	sigma_v_m FLOAT, 
	gnss_e_m FLOAT, 
	gnss_n_m FLOAT, 
	gnss_h_m FLOAT, 
	occupation_id VARCHAR(36), 
	source VARCHAR(200) NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	reason TEXT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES fit_mark (id)
);
CREATE INDEX ix_fit_mark_job_id ON fit_mark (job_id);
CREATE INDEX ix_fit_mark_line_id ON fit_mark (line_id);
CREATE TABLE fit_shot (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	shot_id VARCHAR(36) NOT NULL, 
	used BOOLEAN NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(shot_id) REFERENCES shot (id)
);
CREATE INDEX ix_fit_shot_job_id ON fit_shot (job_id);
CREATE TABLE fit_chosen (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	result TEXT NOT NULL, 
	words TEXT NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, undid BOOLEAN DEFAULT 0 NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES fit_chosen (id)
);
CREATE INDEX ix_fit_chosen_job_id ON fit_chosen (job_id);
CREATE TABLE fit_applied (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	rests_on TEXT NOT NULL, 
	dropped BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES fit_applied (id)
);
CREATE INDEX ix_fit_applied_job_id ON fit_applied (job_id);
CREATE TRIGGER fit_mark_no_update BEFORE UPDATE ON fit_mark BEGIN SELECT RAISE(ABORT, 'fit_mark rows are never changed'); END;
CREATE TRIGGER fit_mark_no_delete BEFORE DELETE ON fit_mark BEGIN SELECT RAISE(ABORT, 'fit_mark rows are never changed'); END;
CREATE TRIGGER fit_shot_no_update BEFORE UPDATE ON fit_shot BEGIN SELECT RAISE(ABORT, 'fit_shot rows are never changed'); END;
CREATE TRIGGER fit_shot_no_delete BEFORE DELETE ON fit_shot BEGIN SELECT RAISE(ABORT, 'fit_shot rows are never changed'); END;
CREATE TRIGGER fit_chosen_no_delete BEFORE DELETE ON fit_chosen BEGIN SELECT RAISE(ABORT, 'fit_chosen rows are never changed'); END;
CREATE TRIGGER fit_applied_no_update BEFORE UPDATE ON fit_applied BEGIN SELECT RAISE(ABORT, 'fit_applied rows are never changed'); END;
CREATE TRIGGER fit_applied_no_delete BEFORE DELETE ON fit_applied BEGIN SELECT RAISE(ABORT, 'fit_applied rows are never changed'); END;
CREATE TABLE budget_settings (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES budget_settings (id)
);
CREATE INDEX ix_budget_settings_job_id ON budget_settings (job_id);
CREATE TABLE finding_answer (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	code VARCHAR(60) NOT NULL, 
	sentence TEXT NOT NULL, 
	words TEXT NOT NULL, 
	who VARCHAR(80) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_finding_answer_job_id ON finding_answer (job_id);
CREATE TRIGGER budget_settings_no_update BEFORE UPDATE ON budget_settings BEGIN SELECT RAISE(ABORT, 'budget_settings rows are never changed'); END;
CREATE TRIGGER budget_settings_no_delete BEFORE DELETE ON budget_settings BEGIN SELECT RAISE(ABORT, 'budget_settings rows are never changed'); END;
CREATE TRIGGER finding_answer_no_update BEFORE UPDATE ON finding_answer BEGIN SELECT RAISE(ABORT, 'finding_answer rows are never changed'); END;
CREATE TRIGGER finding_answer_no_delete BEFORE DELETE ON finding_answer BEGIN SELECT RAISE(ABORT, 'finding_answer rows are never changed'); END;
CREATE TABLE signed_day (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	day VARCHAR(10) NOT NULL, 
	who VARCHAR(80) NOT NULL, 
	words TEXT NOT NULL, 
	content TEXT NOT NULL, 
	book_id VARCHAR(36) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	UNIQUE (book_id), 
	FOREIGN KEY(book_id) REFERENCES book (id)
);
CREATE INDEX ix_signed_day_job_id ON signed_day (job_id);
CREATE TRIGGER signed_day_no_update BEFORE UPDATE ON signed_day BEGIN SELECT RAISE(ABORT, 'signed_day rows are never changed'); END;
CREATE TRIGGER signed_day_no_delete BEFORE DELETE ON signed_day BEGIN SELECT RAISE(ABORT, 'signed_day rows are never changed'); END;
CREATE TABLE own_device (
	n INTEGER NOT NULL, 
	device_id VARCHAR(36) NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (n), 
	UNIQUE (device_id), 
	FOREIGN KEY(device_id) REFERENCES device (id)
);
CREATE TRIGGER own_device_no_update BEFORE UPDATE ON own_device BEGIN SELECT RAISE(ABORT, 'own_device rows are never changed'); END;
CREATE TRIGGER own_device_no_delete BEFORE DELETE ON own_device BEGIN SELECT RAISE(ABORT, 'own_device rows are never changed'); END;
CREATE TABLE tick (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	list_name VARCHAR(200) NOT NULL, 
	item VARCHAR(200) NOT NULL, 
	done BOOLEAN NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_tick_job_id ON tick (job_id);
CREATE TRIGGER tick_no_update BEFORE UPDATE ON tick BEGIN SELECT RAISE(ABORT, 'tick rows are never changed'); END;
CREATE TRIGGER tick_no_delete BEFORE DELETE ON tick BEGIN SELECT RAISE(ABORT, 'tick rows are never changed'); END;
CREATE TABLE job_profile (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	line_id VARCHAR(36) NOT NULL, 
	chosen BOOLEAN NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_job_profile_job_id ON job_profile (job_id);
CREATE TRIGGER job_profile_no_update BEFORE UPDATE ON job_profile BEGIN SELECT RAISE(ABORT, 'job_profile rows are never changed'); END;
CREATE TRIGGER job_profile_no_delete BEFORE DELETE ON job_profile BEGIN SELECT RAISE(ABORT, 'job_profile rows are never changed'); END;
CREATE TABLE epoch (
	id VARCHAR(36) NOT NULL, 
	listening_id VARCHAR(36) NOT NULL, 
	time_of_day_s FLOAT, 
	date VARCHAR(10), 
	host_s FLOAT NOT NULL, 
	quality INTEGER NOT NULL, 
	latitude_text VARCHAR(24) NOT NULL, 
	longitude_text VARCHAR(24) NOT NULL, 
	altitude_m FLOAT, 
	separation_m FLOAT, 
	satellites INTEGER, 
	pdop FLOAT, 
	hdop FLOAT, 
	vdop FLOAT, 
	age_s FLOAT, 
	station_id INTEGER, 
	sigma_east_m FLOAT, 
	sigma_north_m FLOAT, 
	sigma_up_m FLOAT, 
	reference_id VARCHAR(36), 
	sigma_major_m FLOAT, 
	sigma_minor_m FLOAT, 
	orientation_deg FLOAT, 
	PRIMARY KEY (id), 
	FOREIGN KEY(listening_id) REFERENCES listening (id)
);
CREATE INDEX ix_epoch_listening_host ON epoch (listening_id, host_s);
CREATE TRIGGER epoch_no_update BEFORE UPDATE ON epoch BEGIN SELECT RAISE(ABORT, 'epoch rows are never changed'); END;
CREATE TRIGGER epoch_no_delete BEFORE DELETE ON epoch BEGIN SELECT RAISE(ABORT, 'epoch rows are never changed'); END;
CREATE TABLE sealed_line (
	device_id VARCHAR(36) NOT NULL, 
	sequence INTEGER NOT NULL, 
	previous_hash VARCHAR(64) NOT NULL, 
	hash VARCHAR(64) NOT NULL, 
	PRIMARY KEY (device_id, sequence), 
	FOREIGN KEY(device_id) REFERENCES device (id)
);
CREATE TABLE rival (
	row_id VARCHAR(36) NOT NULL, 
	said_replaces_id VARCHAR(36) NOT NULL, 
	table_name VARCHAR(40) NOT NULL, 
	joined BOOLEAN NOT NULL, 
	PRIMARY KEY (row_id, said_replaces_id)
);
CREATE TRIGGER sealed_line_no_update BEFORE UPDATE ON sealed_line BEGIN SELECT RAISE(ABORT, 'sealed_line rows are never changed'); END;
CREATE TRIGGER sealed_line_no_delete BEFORE DELETE ON sealed_line BEGIN SELECT RAISE(ABORT, 'sealed_line rows are never changed'); END;
CREATE TRIGGER rival_no_update BEFORE UPDATE ON rival BEGIN SELECT RAISE(ABORT, 'rival rows are never changed'); END;
CREATE TRIGGER rival_no_delete BEFORE DELETE ON rival BEGIN SELECT RAISE(ABORT, 'rival rows are never changed'); END;
CREATE TABLE time_passed (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	seconds FLOAT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id)
);
CREATE INDEX ix_time_passed_job_id ON time_passed (job_id);
CREATE TRIGGER time_passed_no_update BEFORE UPDATE ON time_passed BEGIN SELECT RAISE(ABORT, 'time_passed rows are never changed'); END;
CREATE TRIGGER time_passed_no_delete BEFORE DELETE ON time_passed BEGIN SELECT RAISE(ABORT, 'time_passed rows are never changed'); END;
CREATE TRIGGER fit_chosen_no_update BEFORE UPDATE ON fit_chosen BEGIN SELECT RAISE(ABORT, 'fit_chosen rows are never changed'); END;
CREATE INDEX ix_shot_job_created ON shot (job_id, created_s, id);
CREATE TABLE element_file (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	name VARCHAR(200) NOT NULL, 
	kind VARCHAR(16) NOT NULL, 
	imported_id VARCHAR(36) NOT NULL, 
	withdrawn BOOLEAN NOT NULL, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(imported_id) REFERENCES imported_file (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES element_file (id)
);
CREATE INDEX ix_element_file_job_id ON element_file (job_id);
CREATE TABLE heard_ephemeris (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	listening_id VARCHAR(36) NOT NULL, 
	number INTEGER NOT NULL, 
	payload BLOB NOT NULL, 
	heard_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(listening_id) REFERENCES listening (id)
);
CREATE INDEX ix_heard_ephemeris_job_id ON heard_ephemeris (job_id);
CREATE TABLE skyline (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	mark_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	origin VARCHAR(16) NOT NULL, 
	photo TEXT, 
	replaces_id VARCHAR(36), 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(mark_id) REFERENCES mark (id), 
	UNIQUE (replaces_id), 
	FOREIGN KEY(replaces_id) REFERENCES skyline (id)
);
CREATE INDEX ix_skyline_job_id ON skyline (job_id);
CREATE TABLE sky_check (
	id VARCHAR(36) NOT NULL, 
	job_id VARCHAR(36) NOT NULL, 
	occupation_id VARCHAR(36) NOT NULL, 
	data TEXT NOT NULL, 
	created_s FLOAT NOT NULL, 
	PRIMARY KEY (id), 
	FOREIGN KEY(job_id) REFERENCES job (id), 
	FOREIGN KEY(occupation_id) REFERENCES occupation (id)
);
CREATE INDEX ix_sky_check_job_id ON sky_check (job_id);
CREATE TRIGGER element_file_no_update BEFORE UPDATE ON element_file BEGIN SELECT RAISE(ABORT, 'element_file rows are never changed'); END;
CREATE TRIGGER element_file_no_delete BEFORE DELETE ON element_file BEGIN SELECT RAISE(ABORT, 'element_file rows are never changed'); END;
CREATE TRIGGER heard_ephemeris_no_update BEFORE UPDATE ON heard_ephemeris BEGIN SELECT RAISE(ABORT, 'heard_ephemeris rows are never changed'); END;
CREATE TRIGGER heard_ephemeris_no_delete BEFORE DELETE ON heard_ephemeris BEGIN SELECT RAISE(ABORT, 'heard_ephemeris rows are never changed'); END;
CREATE TRIGGER skyline_no_update BEFORE UPDATE ON skyline BEGIN SELECT RAISE(ABORT, 'skyline rows are never changed'); END;
CREATE TRIGGER skyline_no_delete BEFORE DELETE ON skyline BEGIN SELECT RAISE(ABORT, 'skyline rows are never changed'); END;
CREATE TRIGGER sky_check_no_update BEFORE UPDATE ON sky_check BEGIN SELECT RAISE(ABORT, 'sky_check rows are never changed'); END;
CREATE TRIGGER sky_check_no_delete BEFORE DELETE ON sky_check BEGIN SELECT RAISE(ABORT, 'sky_check rows are never changed'); END;
INSERT INTO alembic_version VALUES ('0017');
