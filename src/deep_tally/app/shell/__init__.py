"""The window around the views: menus, steps, opening, the check that is open."""
