"""`python -m jovial_atlas` is the command `jovial-atlas`."""

from jovial_atlas.cli import main

if __name__ == "__main__":
    main()
