"""The certificate that the program shows to phones on the network: of one's own, or from a root that is made here.

The root may vouch for addresses of private networks and nothing else (RFC 5280, 4.2.1.10), so that a phone which trusts it trusts no
site of the internet by it.  Keys have mode 0600 and are in no backup.
"""

from __future__ import annotations

import datetime as dt
import ipaddress
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.asymmetric.types import CertificateIssuerPrivateKeyTypes
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from openstake.core.errors import FileError, InputError
from openstake.store.private import CERTIFICATES, write_private

_ROOT_DAYS = 1825
# Browsers take no longer certificate than 398 days; a short one is renewed here by itself.
_LEAF_DAYS, _RENEW_DAYS = 90, 30
# A host whose clock is behind still finds it valid.
_BEFORE = dt.timedelta(days=1)
# Source: RFC 1918, RFC 6598, RFC 3927, RFC 5737, RFC 4193, RFC 4291.
_PRIVATE = (
    "10.0.0.0/8",
    "172.16.0.0/12",
    "192.168.0.0/16",
    "100.64.0.0/10",
    "169.254.0.0/16",
    "127.0.0.0/8",
    "192.0.2.0/24",
    "198.51.100.0/24",
    "203.0.113.0/24",
    "fc00::/7",
    "fe80::/10",
    "::1/128",
)


@dataclass(frozen=True, kw_only=True)
class ServedCertificate:
    """What the listener shows: its files, the names it is for, and the root with its SHA-256, where the root is made here."""

    certificate: Path
    key: Path
    names: tuple[str, ...]
    root_pem: bytes | None
    fingerprint: str


def is_private_address(address: str) -> bool:
    """Say whether the root that is made here may vouch for an address; InputError where it is none."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        raise InputError(f"{address} is not an address of this machine. Give one like 192.168.1.5.") from None
    return any(found in ipaddress.ip_network(item) for item in _PRIVATE if found.version == ipaddress.ip_network(item).version)


def made_here(data: Path, addresses: Sequence[str], now_s: float) -> ServedCertificate:
    """Return a certificate for addresses of this machine from the data folder's root; made, or renewed, where it has to be."""
    beyond = [item for item in addresses if not is_private_address(item)]
    if beyond:
        raise InputError(
            f"{beyond[0]} is not an address of a private network. The program's own certificate vouches for those alone: give one of your own."
        )
    folder, now = data / CERTIFICATES, dt.datetime.fromtimestamp(now_s, dt.UTC)
    root, root_key = _root(folder, now)
    leaf = folder / "leaf.pem"
    held = _read(leaf)
    renew = held is None or held.issuer != root.subject or _names_of(held) != tuple(addresses)
    if renew or held is None or held.not_valid_after_utc - now < dt.timedelta(days=_RENEW_DAYS):
        _make_leaf(folder, root, root_key, addresses, now)
    return ServedCertificate(
        certificate=leaf, key=folder / "leaf.key", names=tuple(addresses), root_pem=_pem(root), fingerprint=fingerprint_of(root)
    )


def user_certificate(certificate: Path, key: Path, now_s: float) -> ServedCertificate:
    """Return a certificate that the user gave; FileError where it cannot be read, its key is another's, or it has expired."""
    try:
        found = x509.load_pem_x509_certificates(certificate.read_bytes())[0]
    except (OSError, ValueError, IndexError):
        raise FileError(f"{certificate} cannot be read as a certificate. Give a PEM file.") from None
    if _public_bytes(_key(key).public_key()) != _public_bytes(found.public_key()):
        raise FileError(f"{key} is not the key of {certificate}.")
    now = dt.datetime.fromtimestamp(now_s, dt.UTC)
    if not found.not_valid_before_utc <= now <= found.not_valid_after_utc:
        raise FileError(
            f"{certificate} is valid from {found.not_valid_before_utc:%Y-%m-%d} to {found.not_valid_after_utc:%Y-%m-%d} and not today."
        )
    names = _names_of(found)
    if not names:
        raise FileError(f"{certificate} names no address and no host (subjectAltName). Browsers refuse it.")
    return ServedCertificate(certificate=certificate, key=key, names=names, root_pem=None, fingerprint=fingerprint_of(found))


def fingerprint_of(certificate: x509.Certificate) -> str:
    """Return a certificate's SHA-256 in pairs of digits, as devices show it."""
    return ":".join(f"{byte:02X}" for byte in certificate.fingerprint(hashes.SHA256()))


def _root(folder: Path, now: dt.datetime) -> tuple[x509.Certificate, CertificateIssuerPrivateKeyTypes]:
    held, path = _read(folder / "root.pem"), folder / "root.key"
    if held is not None and path.is_file() and held.not_valid_after_utc - now > dt.timedelta(days=_LEAF_DAYS):
        return held, _key(path)
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Open Stake on this crew's machine, {now:%Y-%m-%d %H:%M}")])
    permitted = [x509.IPAddress(ipaddress.ip_network(item)) for item in _PRIVATE]
    made = (
        _signed_by(name, name, key, now, _ROOT_DAYS)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(_usage(key_cert_sign=True), critical=True)
        .add_extension(x509.NameConstraints([*permitted, x509.DNSName("local")], None), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    write_private(path, _key_pem(key))
    write_private(folder / "root.pem", _pem(made))
    return made, key


def _make_leaf(
    folder: Path, root: x509.Certificate, root_key: CertificateIssuerPrivateKeyTypes, addresses: Sequence[str], now: dt.datetime
) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Open Stake")])
    names = [x509.IPAddress(ipaddress.ip_address(item)) for item in addresses]
    made = (
        _signed_by(name, root.subject, key, now, _LEAF_DAYS)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(_usage(digital_signature=True), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .add_extension(x509.SubjectAlternativeName(names), critical=False)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .add_extension(_issuer_key(root), critical=False)
        .sign(root_key, hashes.SHA256())
    )
    write_private(folder / "leaf.key", _key_pem(key))
    write_private(folder / "leaf.pem", _pem(made) + _pem(root))


def _issuer_key(root: x509.Certificate) -> x509.AuthorityKeyIdentifier:
    held = root.extensions.get_extension_for_class(x509.SubjectKeyIdentifier).value
    return x509.AuthorityKeyIdentifier.from_issuer_subject_key_identifier(held)


def _signed_by(
    subject: x509.Name, issuer: x509.Name, key: ec.EllipticCurvePrivateKey, now: dt.datetime, days: int
) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - _BEFORE)
        .not_valid_after(now + dt.timedelta(days=days))
    )


def _usage(digital_signature: bool = False, key_cert_sign: bool = False) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=digital_signature,
        key_cert_sign=key_cert_sign,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        crl_sign=False,
        encipher_only=False,
        decipher_only=False,
    )


def _names_of(certificate: x509.Certificate) -> tuple[str, ...]:
    try:
        held = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except x509.ExtensionNotFound:
        return ()
    addresses = [str(item) for item in held.get_values_for_type(x509.IPAddress)]
    return (*addresses, *(name.lower() for name in held.get_values_for_type(x509.DNSName)))


def _read(path: Path) -> x509.Certificate | None:
    try:
        return x509.load_pem_x509_certificate(path.read_bytes())
    except (OSError, ValueError):
        return None


def _key(path: Path) -> CertificateIssuerPrivateKeyTypes:
    try:
        return serialization.load_pem_private_key(path.read_bytes(), None)  # type: ignore[return-value]
    except (OSError, ValueError, TypeError, UnsupportedAlgorithm):
        raise FileError(f"{path} cannot be read as a private key. Give a PEM file without a password.") from None


def _key_pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())


def _pem(certificate: x509.Certificate) -> bytes:
    return certificate.public_bytes(serialization.Encoding.PEM)


def _public_bytes(key: object) -> bytes:
    return key.public_bytes(  # type: ignore[attr-defined, no-any-return]
        serialization.Encoding.DER, serialization.PublicFormat.SubjectPublicKeyInfo
    )
