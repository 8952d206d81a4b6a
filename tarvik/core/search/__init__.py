"""The search for the settings that serve the sleepers and the night's intent best."""
