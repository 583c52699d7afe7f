"""Every error of this tool, under one root.

AdzeguardError
├── UsageError                 the command was asked for something that cannot be meant
│   ├── DeclinedError          somebody said no when asked
│   ├── UnknownNameError       no object bears the name
│   └── AmbiguousNameError     several do, and nothing is guessed
├── InputError                 a file holds something that cannot be read as what it should be
│   ├── SettingsError          adzeguard.toml
│   ├── CharterError           the charter
│   ├── LdifError              an LDIF file
│   ├── HostFileError          the state of a stand-in host
│   └── ProposalFileError      a proposal
├── DirectoryError             the directory server could not be asked, or refused
│   ├── DirectoryUnreachableError
│   │   └── DirectorySilentError   it is there, and does not answer
│   ├── CredentialsRefusedError
│   ├── CertificateRefusedError
│   └── ChangeRefusedError
├── HostError                  a host could not be asked, or refused
│   ├── HostUnreachableError
│   ├── HostRefusedError
│   └── HostUnknownError
├── StoreError                 the store of the workspace
│   ├── StoreTooNewError
│   ├── StoreDamagedError
│   ├── StoreBusyError
│   └── NothingCollectedError
├── TellError                  somebody could not be told
├── SignatureError             a signature or a key is not what it should be
├── ApprovalError              a proposal has not the yes that it needs
└── GuardError                 a proposal would do harm and is refused

Raised where something goes wrong; turned into one line for people once, at the edge of the command line.
"""


class AdzeguardError(Exception):
    """The root: `message` says what is wrong, `way_out` what to do about it."""

    exit_code = 1
    usual_way_out = ""
    """What to do where an error of this kind says nothing itself."""

    def __init__(self, message: str, way_out: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.way_out = way_out

    def __str__(self) -> str:
        return f"{self.message}. {self.way_out}" if self.way_out else self.message


class UsageError(AdzeguardError):
    """The command was asked for something that cannot be meant."""

    exit_code = 2
    usual_way_out = "See: COMMAND --help"


class DeclinedError(UsageError):
    """Somebody said no when they were asked: nothing was done, and nothing is wrong."""

    exit_code = 0
    usual_way_out = ""


class UnknownNameError(UsageError):
    """No object bears the name."""


class AmbiguousNameError(UsageError):
    """Several objects bear the name, or only a part of a name was given."""


class InputError(AdzeguardError):
    """A file holds something that cannot be read as what it should be."""


class SettingsError(InputError):
    """The settings of the workspace cannot be used."""

    usual_way_out = "Change adzeguard.toml, then run: adzeguard settings check"


class CharterError(InputError):
    """The charter cannot be read; `problems` holds each place with its own line."""

    def __init__(self, problems: list[str]) -> None:
        super().__init__("\n".join(problems))
        self.problems = problems


class LdifError(InputError):
    """An LDIF file breaks RFC 2849."""


class HostFileError(InputError):
    """The file of a stand-in host is not what it should be."""


class ProposalFileError(InputError):
    """A proposal file cannot be read or does not belong here."""


class DirectoryError(AdzeguardError):
    """The directory could not be asked, or answered with something unusable."""

    usual_way_out = "Try the connection: adzeguard settings check"


class DirectoryUnreachableError(DirectoryError):
    """No connection, or it was lost and could not be had again."""


class DirectorySilentError(DirectoryUnreachableError):
    """The server is there and does not answer in time: trying again at once takes as long again."""


class CredentialsRefusedError(DirectoryError):
    """The directory does not accept the name and password."""


class CertificateRefusedError(DirectoryError):
    """The server's certificate is not signed by the CA, or names another host."""


class ChangeRefusedError(DirectoryError):
    """The directory understood the change and said no."""


class HostError(AdzeguardError):
    """A host could not be asked, or answered with something unusable."""

    usual_way_out = "Try it step by step: adzeguard hosts test HOST"


class HostUnreachableError(HostError):
    """The host is switched off or does not answer in time."""


class HostRefusedError(HostError):
    """The host answered and said no."""


class HostUnknownError(HostError):
    """The host driver knows no host of that name."""


class StoreError(AdzeguardError):
    """The store of the workspace cannot be used."""


class StoreTooNewError(StoreError):
    """A newer version of the tool wrote this store."""


class StoreDamagedError(StoreError):
    """A row of the store is not what the program wrote."""

    def __init__(self, what: str) -> None:
        super().__init__(f"the store is damaged: {what}", "Run: adzeguard collect --full, which writes it anew")


class StoreBusyError(StoreError):
    """Another process holds the workspace."""


class NothingCollectedError(StoreError):
    """The store holds no estate yet."""

    def __init__(self) -> None:
        super().__init__("nothing has been collected in this workspace yet", "Run: adzeguard collect")


class ShareError(AdzeguardError):
    """A server of file shares, or one of its folders, could not be read or changed."""

    usual_way_out = "Try the connection: adzeguard settings check"


class TamperedError(AdzeguardError):
    """The answers of a review cannot be taken: something else was changed, or an answer is none."""


class TellError(AdzeguardError):
    """Somebody could not be told."""

    usual_way_out = "Try the connection: adzeguard questions try"


class SignatureError(AdzeguardError):
    """A signature, or the key for one, is not what it should be."""

    usual_way_out = "How to sign: adzeguard help approve"


class ApprovalError(AdzeguardError):
    """A proposal has not the yes that it needs."""

    usual_way_out = "What waits for approval: adzeguard approve"


class GuardError(AdzeguardError):
    """A proposal would do harm; `refusals` holds each reason with its own line."""

    usual_way_out = "See: COMMAND --help"

    def __init__(self, refusals: list[str]) -> None:
        super().__init__("\n".join(refusals))
        self.refusals = refusals
