"""Work that lasts: durable jobs with progress, cancel and retry."""
