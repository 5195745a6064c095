"""Calendars: from days to periods and back."""
