"""The only opener of user files: recognises them by their content and turns them into records, in batches."""
