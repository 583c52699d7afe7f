"""A second pair of eyes: a proposal's file signed by somebody else, checked before it is enacted."""

from dataclasses import asdict
from datetime import datetime, timedelta
from pathlib import Path

from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import ApprovalError
from adzeguard.core.values import dataclass
from adzeguard.signing.allowed_signers import name_of, read_signers
from adzeguard.signing.ssh_signature import SshSignature, read_signature, verify
from adzeguard.workflows.operators import names_of


@dataclass(frozen=True, slots=True)
class Approval:
    """Who said yes, with which key, and the signature itself, as the journal keeps it."""

    by: str
    key: str
    signature: str

    def as_data(self) -> dict[str, str]:
        """Return it as plain values."""
        return asdict(self)


@dataclass(frozen=True, slots=True)
class Approving:
    """By whose rules an approval counts: the file of those who may sign, and for how many days a proposal is good."""

    signers: Path
    days: int
    now: datetime

    def checked(self, content: bytes, proposal: Proposal, signature: str, operator: str) -> Approval:
        """Return whose approval a signature over a proposal's bytes is.

        `ApprovalError` where it is by the proposer or the enactor, where the key is nobody's, where the bytes are not
        those that were signed, or where the proposal is too old.
        """
        read = read_signature(signature)
        name = self.signer(read)
        verify(content, read)
        for own in (proposal.made_by, operator):
            if is_same(name, own):
                raise ApprovalError(f"{name} cannot approve what {own} proposes or enacts", "Ask somebody else")
        age = self.now - proposal.made_at
        if age > timedelta(days=self.days):
            raise ApprovalError(
                f"the proposal was made more than {self.days} days ago", "Propose anew, and let it be approved again"
            )
        return Approval(name, read.fingerprint, signature)

    def signer(self, signature: SshSignature) -> str:
        """Return whose key made a signature."""
        return name_of(read_signers(self.signers), signature.key, self.now)


def is_same(name: str, operator: str) -> bool:
    """Tell whether a signer is an operator: people sign under a name or a mail address, and work under a name."""
    return name.partition("@")[0].rpartition("\\")[2].casefold() in names_of(operator)
