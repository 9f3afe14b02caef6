"""What comes in and goes out: uploads, import in the worker, listening in the browser."""
