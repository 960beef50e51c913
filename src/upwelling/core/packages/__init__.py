"""What is handed out: packages with certificates and a README, set-up pictures, the ASC CDL part of a shot."""
