"""What a pocket holds: records as frozen values, their settings, and how older documents are brought up to date."""
