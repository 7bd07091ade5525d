-- Which of a dataset's records a run takes that files or deliveries have started; null: all there are.
ALTER TABLE run ADD COLUMN taken json;
