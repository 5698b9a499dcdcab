"""Keeps what exporters send: each body as it came, one file a request, named by its number and its type."""

import gzip
import http.server
import sys

NUMBER = [0]


class Capture(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def body(self):
        if self.headers.get("transfer-encoding") != "chunked":
            return self.rfile.read(int(self.headers["content-length"]))
        body = b""
        while size := int(self.rfile.readline(), 16):
            body += self.rfile.read(size)
            self.rfile.readline()
        self.rfile.readline()
        return body

    def do_POST(self):
        body = self.body()
        if self.headers.get("content-encoding") == "gzip":
            body = gzip.decompress(body)
        NUMBER[0] += 1
        kind = "json" if "json" in self.headers["content-type"] else "pb"
        with open(f"{sys.argv[2]}-{NUMBER[0]}.{kind}", "wb") as file:
            file.write(body)
        self.send_response(200)
        self.send_header("content-type", self.headers["content-type"])
        self.send_header("content-length", "0")
        self.end_headers()

    def log_message(self, *_):
        pass


http.server.HTTPServer(("127.0.0.1", int(sys.argv[1])), Capture).serve_forever()
