import pytest
from hypothesis import given
from hypothesis import strategies as st

from openstake.wire.ntrip.http import ChunkReader, chunk, get_request, parse_reply, parse_request, source_request


def test_requests_come_back_as_they_were_written():
    request = parse_request(get_request("host:2101", "MOUNT", 2, "user", "pass:word").removesuffix(b"\r\n\r\n"))
    push = parse_request(source_request("MOUNT", "secret").removesuffix(b"\r\n\r\n"))

    assert (request.method, request.mount, request.version) == ("GET", "MOUNT", 2)
    assert request.credentials == ("user", "pass:word")
    assert (push.method, push.mount, push.source_password, push.version) == ("SOURCE", "MOUNT", "secret", 1)


@pytest.mark.parametrize("target", ["/MOUNT", "http://127.0.0.1:2101/MOUNT", "/MOUNT?x=1"])
def test_a_target_may_be_a_whole_address(target):
    # RFC 9112, section 3.2.2: a server accepts the absolute form.
    assert parse_request(f"GET {target} HTTP/1.1".encode()).mount == "MOUNT"


@pytest.mark.parametrize("head", [b"", b"\x16\x03\x01", b"BREW /pot HTTP/1.1", b"GET /x SPDY/9", b"SOURCE"])
def test_what_is_no_request_is_refused(head):
    with pytest.raises(ValueError, match="not a request"):
        parse_request(head)


# RFC 7617: Basic, user-id ":" password in base64.
@pytest.mark.parametrize(
    ("value", "credentials"),
    [("Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==", ("Aladdin", "open sesame")), ("Basic ???", None), ("Digest x", None), ("", None)],
)
def test_basic_credentials_follow_the_rfc_s_example(value, credentials):
    assert parse_request(f"GET /x HTTP/1.1\r\nAuthorization: {value}".encode()).credentials == credentials


@pytest.mark.parametrize(
    ("head", "status", "table", "chunked"),
    [
        (b"ICY 200 OK", 200, False, False),
        (b"SOURCETABLE 200 OK\r\nContent-Type: text/plain", 200, True, False),
        (b"HTTP/1.1 200 OK\r\nContent-Type: gnss/sourcetable", 200, True, False),
        (b"HTTP/1.1 200 OK\r\nContent-Type: gnss/data\r\nTransfer-Encoding: chunked", 200, False, True),
        (b"HTTP/1.1 401 Unauthorized", 401, False, False),
        (b"ERROR - Bad Password", 401, False, False),
    ],
)
def test_replies_of_both_versions_are_told_apart(head, status, table, chunked):
    reply = parse_reply(head)

    assert (reply.status, reply.source_table, reply.chunked) == (status, table, chunked)


@given(st.lists(st.binary(min_size=1, max_size=300), max_size=8), st.integers(1, 97))
def test_chunks_come_back_whole_in_any_pieces(parts, size):
    data = b"".join(map(chunk, parts)) + b"0\r\n\r\n"
    reader = ChunkReader()

    got = b"".join(piece for at in range(0, len(data), size) for piece in reader.feed(data[at : at + size]))

    assert got == b"".join(parts)
    assert reader.ended


def test_rfc_9112_s_chunk_extension_is_passed_over_and_garbage_refused():
    assert b"".join(ChunkReader().feed(b"4;name=value\r\nWiki\r\n")) == b"Wiki"
    with pytest.raises(ValueError):
        list(ChunkReader().feed(b"no size here\r\n"))
