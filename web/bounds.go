package web

import (
	"errors"
	"mime"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/go-chi/chi/v5"

	"manudex/files"

	"manudex/app"
)

// What a request may bring, and how long it may take to bring it. A form of
// 1 MB stays in memory, so that nothing a request sends reaches the disk.
const (
	maxForm     = 1 << 20
	maxOpenForm = 64 << 10 // of whoever has not signed in
	formWait    = 30 * time.Second
	uploadWait  = 2 * time.Minute
	answerWait  = 2 * time.Minute
)

// uploads are the routes on which a file comes in; see [upload].
var uploads = []string{"/people/file", "/jobs/file", "/setup/hours", "/setup/year", "/setup/holidays/file", "/jobs/{job}/estimate",
	"/setup/mark", "/setup/map", "/setup/leave/file", photoUpload, expenseUpload, leaveUpload}

// photoUploads bring a photo, which may be larger than other files.
var photoUploads = []string{photoUpload, expenseUpload, leaveUpload}

const (
	photoUpload   = "/cards/{employment}/{date}/photo"
	expenseUpload = "/cards/{employment}/{date}/expense"
	leaveUpload   = "/leave/ask"
)

func (r route) takesFile() bool {
	return r.method == http.MethodPost && slices.Contains(uploads, r.pattern)
}

// streams says that a route answers for as long as its page is open.
func (r route) streams() bool { return r.pattern == "/live" }

// errOdd says that a request holds bytes that are no text, errTooLarge that
// its form is larger than any of ours.
var (
	errOdd      = errors.New("bytes that are no text")
	errTooLarge = errors.New("a form that is too large")
)

// bound limits what a request may bring and reads its form. Files are read by
// [upload], in the routes that take them.
func bound(w http.ResponseWriter, r *http.Request, to route) error {
	wait, most := formWait, int64(maxForm)
	if to.needs == "" || to.needs == signingIn {
		most = maxOpenForm
	}
	if to.takesFile() {
		wait, most = uploadWait, maxUpload
	}
	if slices.Contains(photoUploads, to.pattern) {
		most = files.MostPhotoBytes + maxForm
	}
	deadlines := http.NewResponseController(w)
	_ = deadlines.SetReadDeadline(time.Now().Add(wait)) // not every writer has deadlines; those of a server have
	until := time.Now().Add(wait + answerWait)
	if to.streams() {
		until = time.Time{} // the connection may have one from the request before
	}
	_ = deadlines.SetWriteDeadline(until)
	r.Body = http.MaxBytesReader(w, r.Body, most)
	if !to.takesFile() {
		if err := readForm(r, most); err != nil {
			return err
		}
		// All is read: a deadline that passes from now on would break the answer off.
		if to.needs != holdsKey { // whose body is read later
			_ = deadlines.SetReadDeadline(time.Time{})
		}
	}
	if !readable(r.Form) || !readable(url.Values{"": pathValues(r)}) {
		return errOdd
	}
	return nil
}

func readForm(r *http.Request, most int64) error {
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type")) // what doesn't read is no form
	var err error
	if kind == "multipart/form-data" {
		err = r.ParseMultipartForm(most)
	} else {
		err = r.ParseForm()
	}
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		return errTooLarge
	case err != nil:
		return errOdd
	}
	return nil
}

func pathValues(r *http.Request) []string {
	if c := chi.RouteContext(r.Context()); c != nil {
		return append(slices.Clone(c.URLParams.Values), r.URL.Path)
	}
	return []string{r.URL.Path}
}

// readable says whether texts are UTF-8 without NUL, which PostgreSQL's are.
func readable(values url.Values) bool {
	for name, texts := range values {
		for _, text := range append(texts, name) {
			if !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
				return false
			}
		}
	}
	return true
}

// maxStreams is how many live pages one person may have open on a node.
const maxStreams = 20

// oneMoreStream counts a live page of a person in; leave counts it out.
func (s *Server) oneMoreStream(actor app.Actor) (leave func(), ok bool) {
	s.following.Lock()
	defer s.following.Unlock()
	if s.following.by[actor.ID] >= maxStreams {
		return nil, false
	}
	s.following.by[actor.ID]++
	return func() {
		s.following.Lock()
		defer s.following.Unlock()
		if s.following.by[actor.ID]--; s.following.by[actor.ID] == 0 {
			delete(s.following.by, actor.ID)
		}
	}, true
}
