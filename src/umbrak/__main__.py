"""`umbrak`, and `python -m umbrak`."""

import gc
import os


def main() -> None:
    # Start-up makes many objects and next to no garbage: collecting meanwhile costs a fifth of the time.
    gc.disable()
    # No plugin is used; looking for one reads the metadata of every installed package.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "1")

    from umbrak.cli.main import main as run

    run()


if __name__ == "__main__":
    main()
