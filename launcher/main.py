"""The commands of ./fendo."""

import sys

from launcher import backup, checks, serve
from launcher.steps import Refused

HELP = """Fendo records narration against picture.

  ./fendo start             install what is missing, start, and print a link that signs you in
  ./fendo dev               the same, and take up what is changed in the source
  ./fendo stop              end what start began
  ./fendo link [NAME]       a new one-time link (--new makes the account NAME)
  ./fendo reset-demo        put the demo productions back as they were
  ./fendo rescue FOLDER     open productions from their folders, when the database is gone or elsewhere (then an account)
  ./fendo backup FILE       all data in one file, while it runs
  ./fendo restore FILE      a backup opened in an empty data folder
  ./fendo test [PART ...]   run all checks and tests, or parts: {parts}
  ./fendo help              this

All data lie in data/, or where FENDO_DATA says. FENDO_PORT chooses the port."""


def main(arguments: list[str]) -> int:
    """Do one command; refusals are said plainly and end with status 1."""
    command, *rest = arguments or ["help"]
    try:
        match command:
            case "start":
                return serve.start()
            case "dev":
                return serve.start(developing=True)
            case "stop":
                return serve.stop()
            case "link":
                names = [word for word in rest if not word.startswith("-")]
                return serve.link(names[0] if names else "demo", "--new" in rest)
            case "reset-demo":
                return serve.reset_demo()
            case "rescue":
                if not rest:
                    raise Refused("Which folder? ./fendo rescue data/media takes all, ./fendo rescue data/media/NAME one.")
                return serve.rescue(rest[0], rest[1] if len(rest) > 1 else "demo")
            case "backup" | "restore":
                if len(rest) != 1:
                    raise Refused(f"Which file? ./fendo {command} FILE")
                return backup.backup(rest[0]) if command == "backup" else backup.restore(rest[0])
            case "test":
                return checks.check(rest)
            case "help" | "-h" | "--help":
                print(HELP.format(parts=", ".join(checks.PARTS)))
                return 0
        raise Refused(f"There is no command “{command}”. ./fendo help lists them.")
    except Refused as refusal:
        print(f"\n{refusal}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nstopped", file=sys.stderr)
        return 130
