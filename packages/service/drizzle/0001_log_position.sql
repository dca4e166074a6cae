CREATE TABLE `log_position` (
	`id` integer PRIMARY KEY NOT NULL,
	`log` text NOT NULL,
	`seq` integer NOT NULL,
	`group_id` text NOT NULL
);
