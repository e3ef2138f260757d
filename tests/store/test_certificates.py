"""The certificate shown on the network, held against Python's ssl (OpenSSL): what a browser would say of it."""

import datetime as dt
import ssl
import stat
import time

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from openstake.core.errors import FileError, InputError
from openstake.store import certificates
from openstake.store.certificates import CERTIFICATES, is_private_address, made_here, user_certificate

NOW_S = time.time()
DAY_S = 86_400.0


def shake_hands(served, name, root):
    """Let OpenSSL on both sides agree, the client trusting one root alone; raises what a browser would refuse."""
    client_in, client_out, server_in, server_out = (ssl.MemoryBIO() for _ in range(4))
    trusting = ssl.create_default_context(cadata=root.decode())
    serving = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    serving.load_cert_chain(served.certificate, served.key)
    client = trusting.wrap_bio(client_in, client_out, server_hostname=name)
    server = serving.wrap_bio(server_in, server_out, server_side=True)
    done = set()
    for _ in range(10):
        for end, side in (("client", client), ("server", server)):
            try:
                side.do_handshake()
                done.add(end)
            except ssl.SSLWantReadError:
                pass
            server_in.write(client_out.read())
            client_in.write(server_out.read())
        if len(done) == 2:
            return client.version()
    raise AssertionError("the two never agreed")


def leaf_of(served):
    return x509.load_pem_x509_certificate(served.certificate.read_bytes())


def test_a_phone_that_trusts_the_root_trusts_every_address_of_the_machine(tmp_path):
    served = made_here(tmp_path, ("192.168.1.5", "10.0.0.7"), NOW_S)

    for name in ("192.168.1.5", "10.0.0.7"):
        assert shake_hands(served, name, served.root_pem) in ("TLSv1.2", "TLSv1.3")
    with pytest.raises(ssl.SSLCertVerificationError, match="IP address mismatch"):
        shake_hands(served, "192.168.1.6", served.root_pem)


def test_another_root_is_not_trusted(tmp_path):
    served, other = made_here(tmp_path / "a", ("10.0.0.7",), NOW_S), made_here(tmp_path / "b", ("10.0.0.7",), NOW_S)

    with pytest.raises(ssl.SSLCertVerificationError):
        shake_hands(served, "10.0.0.7", other.root_pem)


def test_whoever_steals_the_root_can_vouch_for_no_site_of_the_internet(tmp_path, monkeypatch):
    """RFC 5280, 4.2.1.10: the constraint is in the root, so the phone itself refuses."""
    monkeypatch.setattr(certificates, "is_private_address", lambda _: True)
    served = made_here(tmp_path, ("8.8.8.8",), NOW_S)

    with pytest.raises(ssl.SSLCertVerificationError, match="permitted subtree violation"):
        shake_hands(served, "8.8.8.8", served.root_pem)


def test_keys_are_read_by_nobody_else(tmp_path):
    made_here(tmp_path, ("10.0.0.7",), NOW_S)

    folder = tmp_path / CERTIFICATES
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    assert {path.name: stat.S_IMODE(path.stat().st_mode) for path in folder.iterdir()} == dict.fromkeys(
        ("root.pem", "root.key", "leaf.pem", "leaf.key"), 0o600
    )


def test_the_leaf_follows_the_addresses_and_is_renewed_in_time_and_the_root_stays(tmp_path):
    first = made_here(tmp_path, ("10.0.0.7",), NOW_S)
    serial = leaf_of(first).serial_number
    assert leaf_of(made_here(tmp_path, ("10.0.0.7",), NOW_S + 59 * DAY_S)).serial_number == serial

    moved = made_here(tmp_path, ("10.0.0.8",), NOW_S)
    assert leaf_of(moved).serial_number != serial
    shake_hands(moved, "10.0.0.8", first.root_pem)
    serial = leaf_of(moved).serial_number
    renewed = made_here(tmp_path, ("10.0.0.8",), NOW_S + 61 * DAY_S)
    assert leaf_of(renewed).serial_number != serial
    assert (first.root_pem, first.fingerprint) == (renewed.root_pem, renewed.fingerprint)


def test_no_certificate_is_longer_than_browsers_take(tmp_path):
    """CA/Browser Forum, Baseline Requirements 6.3.2: at most 398 days (from memory)."""
    leaf = leaf_of(made_here(tmp_path, ("10.0.0.7",), NOW_S))

    assert leaf.not_valid_after_utc - leaf.not_valid_before_utc <= dt.timedelta(days=398)


def test_the_fingerprint_is_what_devices_show(tmp_path):
    served = made_here(tmp_path, ("10.0.0.7",), NOW_S)

    der = ssl.PEM_cert_to_DER_cert(served.root_pem.decode())
    digest = hashes.Hash(hashes.SHA256())
    digest.update(der)
    assert served.fingerprint == digest.finalize().hex(":").upper()


def test_a_broken_file_is_made_anew(tmp_path):
    made_here(tmp_path, ("10.0.0.7",), NOW_S)
    (tmp_path / CERTIFICATES / "leaf.pem").write_bytes(b"garbage")
    (tmp_path / CERTIFICATES / "root.pem").write_bytes(b"\xff" * 50)

    served = made_here(tmp_path, ("10.0.0.7",), NOW_S)
    shake_hands(served, "10.0.0.7", served.root_pem)


@pytest.mark.parametrize(
    ("address", "private"),
    [
        ("10.1.2.3", True),
        ("172.31.0.1", True),
        ("172.32.0.1", False),
        ("192.168.0.1", True),
        ("169.254.3.4", True),
        ("8.8.8.8", False),
        ("fd00::2", True),
        ("2001:4860::1", False),
    ],
)
def test_which_addresses_are_private(address, private):
    assert is_private_address(address) is private


@pytest.mark.parametrize("address", ["8.8.8.8", "abc", "10.0.0", ""])
def test_for_another_address_a_certificate_of_one_s_own_is_asked_for(tmp_path, address):
    with pytest.raises(InputError, match=r"private network|not an address"):
        made_here(tmp_path, (address,), NOW_S)
    assert not (tmp_path / CERTIFICATES).exists()


def own(folder, begins_s=NOW_S - DAY_S, ends_s=NOW_S + DAY_S, names=("openstake.local",), key=None):
    made = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "ours")])
    builder = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(made.public_key())
        .serial_number(7)
        .not_valid_before(dt.datetime.fromtimestamp(begins_s, dt.UTC))
        .not_valid_after(dt.datetime.fromtimestamp(ends_s, dt.UTC))
    )
    if names:
        builder = builder.add_extension(x509.SubjectAlternativeName([x509.DNSName(item) for item in names]), False)
    certificate, key_file = folder / "own.pem", folder / "own.key"
    certificate.write_bytes(builder.sign(made, hashes.SHA256()).public_bytes(serialization.Encoding.PEM))
    key_file.write_bytes(
        (key or made).private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return certificate, key_file


def test_a_certificate_of_one_s_own_answers_to_its_names(tmp_path):
    served = user_certificate(*own(tmp_path), NOW_S)

    assert served.names == ("openstake.local",) and served.root_pem is None
    shake_hands(served, "openstake.local", served.certificate.read_bytes())


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (lambda folder: own(folder, ends_s=NOW_S - 60), "and not today"),
        (lambda folder: own(folder, begins_s=NOW_S + 60), "and not today"),
        (lambda folder: own(folder, names=()), "names no address"),
        (lambda folder: own(folder, key=ec.generate_private_key(ec.SECP256R1())), "is not the key of"),
        (lambda folder: (folder / "no.pem", folder / "no.key"), "cannot be read as a certificate"),
        (lambda folder: (own(folder)[0], folder / "no.key"), "cannot be read as a private key"),
        (lambda folder: (own(folder)[1], own(folder)[1]), "cannot be read as a certificate"),
    ],
)
def test_one_that_browsers_would_refuse_is_refused_with_a_sentence(tmp_path, wrong, words):
    with pytest.raises(FileError, match=words):
        user_certificate(*wrong(tmp_path), NOW_S)
