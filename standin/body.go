package standin

import (
	"encoding/base64"
	"io"
	"mime/quotedprintable"
	"net/mail"
	"strings"
)

// bodyOf reads a message's text in the encoding it came in.
func bodyOf(msg *mail.Message) (string, error) {
	var r io.Reader = msg.Body
	switch strings.ToLower(msg.Header.Get("Content-Transfer-Encoding")) {
	case "quoted-printable":
		r = quotedprintable.NewReader(r)
	case "base64":
		r = base64.NewDecoder(base64.StdEncoding, r)
	}
	b, err := io.ReadAll(r)
	return string(b), err
}
