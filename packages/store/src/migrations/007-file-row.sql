-- Where a failed record stands in its own file; row_number counts through all files of the dataset.
ALTER TABLE failed_record ADD COLUMN file_row bigint;
