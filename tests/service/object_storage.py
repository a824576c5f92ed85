"""A stand-in for a service with the S3 protocol: one bucket on loopback, its objects in memory. It lets in who signs with its key, unless it is `away`."""

import hashlib
import re
import secrets
import threading
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from io import BytesIO
from urllib.parse import parse_qs, unquote, urlsplit
from xml.sax.saxutils import escape

BUCKET, KEY, SECRET = "compass", "a-key", "a secret of both"


class ObjectStorage:
    """`objects`: what it holds by name; `unfinished`: parts of what is still being sent; `asked`: methods and paths."""

    def __init__(self):
        self.objects, self.unfinished, self.asked = {}, {}, []
        self.away = False

    def listed(self, query):
        """The names below a prefix, up to a delimiter, as XML."""
        prefix, delimiter = query.get("prefix", ""), query.get("delimiter", "")
        found, folders = [], set()
        for name, content in sorted(self.objects.items()):
            if name.startswith(prefix):
                head, sign, _ = name[len(prefix) :].partition(delimiter) if delimiter else (name, "", "")
                if sign:
                    folders.add(prefix + head + sign)
                else:
                    found.append(
                        f"<Contents><Key>{escape(name)}</Key><Size>{len(content)}</Size><LastModified>2026-11-28T12:00:00.000Z</LastModified></Contents>"
                    )
        common = "".join(f"<CommonPrefixes><Prefix>{escape(one)}</Prefix></CommonPrefixes>" for one in sorted(folders))
        return f"<ListBucketResult><IsTruncated>false</IsTruncated>{''.join(found)}{common}</ListBucketResult>"


def _of_chunks(sent):
    """What was sent in chunks, each with its length before it, with lines of their own behind the last."""
    content = b""
    while size := int(sent.readline().partition(b";")[0], 16):
        content += sent.read(size)
        sent.readline()
    while sent.readline().strip():
        pass
    return content


def _handler(storage):
    class Handler(BaseHTTPRequestHandler):
        protocol_version, disable_nagle_algorithm = "HTTP/1.1", True

        def log_message(self, *args):
            pass

        def answer(self, status, body=b"", **headers):
            self.send_response(status)
            length = headers.pop("length", len(body))
            for name, value in headers.items():
                self.send_header(name.replace("_", "-"), value)
            self.send_header("Content-Length", str(length))
            self.end_headers()
            if self.command != "HEAD":
                self.wfile.write(body)

        def body(self):
            if self.headers.get("Transfer-Encoding") == "chunked":
                content = _of_chunks(self.rfile)
            else:
                content = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            return _of_chunks(BytesIO(content)) if "aws-chunked" in (self.headers.get("Content-Encoding") or "") else content

        def asked(self):
            """(bucket, name, what stands behind the question mark); None for whoever is not let in, and has been told so."""
            path, query = urlsplit(self.path).path, {key: values[0] for key, values in parse_qs(urlsplit(self.path).query, keep_blank_values=True).items()}
            storage.asked.append((self.command, self.path))
            sent = self.body()
            if storage.away:
                self.answer(503)
                return None
            if f"Credential={KEY}/" not in self.headers.get("Authorization", ""):
                self.answer(403, b"<Error><Code>AccessDenied</Code></Error>")
                return None
            bucket, _, name = unquote(path).lstrip("/").partition("/")
            if bucket != BUCKET:
                self.answer(404, b"<Error><Code>NoSuchBucket</Code></Error>")
                return None
            return name, query, sent

        def do_GET(self):
            if (asked := self.asked()) is None:
                return
            name, query, _ = asked
            if not name:
                self.answer(200, storage.listed(query).encode(), Content_Type="application/xml")
            elif name not in storage.objects:
                self.answer(404, b"<Error><Code>NoSuchKey</Code></Error>")
            else:
                content, status = storage.objects[name], 200
                if found := re.fullmatch(r"bytes=(\d+)-(\d*)", self.headers.get("Range") or ""):
                    content, status = content[int(found[1]) : int(found[2] or len(content)) + 1], 206
                whole = {"ETag": f'"{hashlib.md5(storage.objects[name]).hexdigest()}"', "Last_Modified": "Sat, 28 Nov 2026 12:00:00 GMT"}
                self.answer(status, content, **whole)

        do_HEAD = do_GET  # noqa: N815

        def do_PUT(self):
            if (asked := self.asked()) is None:
                return
            name, query, sent = asked
            if "uploadId" in query:
                storage.unfinished[query["uploadId"]][int(query["partNumber"])] = sent
            elif name:
                storage.objects[name] = sent
            self.answer(200, ETag='"1"')

        def do_POST(self):
            if (asked := self.asked()) is None:
                return
            name, query, _ = asked
            if "uploads" in query:
                upload = secrets.token_hex(8)
                storage.unfinished[upload] = {}
                told = f"<UploadId>{upload}</UploadId>"
                self.answer(200, f"<InitiateMultipartUploadResult>{told}</InitiateMultipartUploadResult>".encode())
            else:
                storage.objects[name] = b"".join(part for _, part in sorted(storage.unfinished.pop(query["uploadId"]).items()))
                self.answer(200, b"<CompleteMultipartUploadResult><ETag>1</ETag></CompleteMultipartUploadResult>")

        def do_DELETE(self):
            if (asked := self.asked()) is not None:
                storage.objects.pop(asked[0], None)
                self.answer(204)

    return Handler


@contextmanager
def object_storage():
    """(the stand-in, its address)."""
    storage = ObjectStorage()
    server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(storage))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield storage, f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()
