"""The key of a farm: one file that all its machines have. Who has it may join, and all that is said is encrypted: TLS,
each side showing the certificate in the file and asking for the same."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from yaila.core.errors import BadRender
from yaila.formats.whole import write_whole

if TYPE_CHECKING:
    from distributed.security import Security

YEARS = 20


def new_key(path: Path) -> None:
    """Write a new key, readable by its owner alone.

    Raises:
        BadRender: there is a file already.
    """
    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.x509.oid import NameOID

    if path.exists():
        raise BadRender(f"{path} is there already. A farm's key is not written over: choose another name.")
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Yaila farm")])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=365 * YEARS))
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    pem = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    ) + made.public_bytes(serialization.Encoding.PEM)
    write_whole(path, pem)
    path.chmod(0o600)


def security_of(path: Path) -> Security:
    """What Dask needs to speak with others that have the key.

    Raises:
        BadRender: there is no such file, or it is no key.
    """
    from distributed.security import Security

    try:
        text = path.read_text("ascii")
    except (OSError, UnicodeDecodeError) as error:
        raise BadRender(f"The farm's key at {path} cannot be read. Copy it from the machine that made it.") from error
    if "PRIVATE KEY" not in text or "CERTIFICATE" not in text:
        raise BadRender(f"{path} is no key of a farm. Make one with `yaila farm --new-key {path}`.")
    file = str(path)
    both = {f"tls_{role}_{part}": file for role in ("client", "scheduler", "worker") for part in ("cert", "key")}
    return Security(tls_ca_file=file, require_encryption=True, **both)
