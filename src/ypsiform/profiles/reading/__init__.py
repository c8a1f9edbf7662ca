"""Reading: a neutral tree into a site by the rules of a profile, a file for each section."""
