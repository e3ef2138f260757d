"""HTTP only: schemas and routes.  No rule and no formula."""
