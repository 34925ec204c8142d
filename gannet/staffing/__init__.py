"""How people work and are served: teams, absences, calendars, care tiers, preferences."""
