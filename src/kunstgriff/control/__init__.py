"""The stage of controls: few handles that pose a figure for people who did not build it."""
