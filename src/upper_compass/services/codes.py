"""The second factor: codes by time (RFC 6238, as pyotp has them) and codes for when the device is lost."""

from __future__ import annotations

import secrets
from datetime import datetime

import pyotp

ISSUER = "Upper Compass"
CODES = 10
# Clocks differ: a code holds for half a minute, and for the one before and after it.
STEPS_APART = 1
# Without what is taken for something else when it is copied by hand.
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"


def new_secret() -> str:
    """A secret to share with a device."""
    return pyotp.random_base32()


def address_of(secret: str, email: str) -> str:
    """What a device reads from a picture: the secret, for whom and where."""
    return pyotp.TOTP(secret).provisioning_uri(name=email, issuer_name=ISSUER)


def step_of(secret: str, code: str, now: datetime) -> int | None:
    """The half minute, counted from 1970, of which this is the code; None where it is none of those that hold now."""
    device = pyotp.TOTP(secret)
    here = device.timecode(now)
    steps = range(here - STEPS_APART, here + STEPS_APART + 1)
    return next((step for step in steps if secrets.compare_digest(device.generate_otp(step).encode(), code.encode())), None)


def new_recovery_codes() -> list[str]:
    """Codes of which each works once, as they are shown: `abcde-fghij`, 49 bits each."""
    return ["-".join("".join(secrets.choice(_LETTERS) for _ in range(5)) for _ in range(2)) for _ in range(CODES)]


def bare(code: str) -> str:
    """A code as it is compared: what was typed, without spaces and lines between, in small letters."""
    return "".join(code.split()).replace("-", "").lower()
