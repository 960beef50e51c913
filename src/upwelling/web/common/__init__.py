"""What all pages share: access, requests, controls built from declarations, downloads."""
