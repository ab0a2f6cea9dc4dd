"""The one command. Each subcommand imports what it needs when it runs, so that the light ones start fast."""
