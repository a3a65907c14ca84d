package standin

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
)

// Somebody calls, types their number and PIN, clocks in on a job and leaves a note; what is
// refused is said, and the line hangs up.
func TestPhone(t *testing.T) {
	var sent []map[string]string
	app := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var call map[string]string
		if err := json.NewDecoder(r.Body).Decode(&call); err != nil || r.URL.Path != "/api/v1/calls" {
			t.Errorf("%s: %v", r.URL.Path, err)
		}
		sent = append(sent, call)
		switch {
		case call["pin"] != "2580":
			_, _ = io.WriteString(w, `{"state": "refused", "why": "That is not the PIN of this number"}`)
		case call["act"] == "switch":
			_, _ = io.WriteString(w, `{"state": "claim", "why": "The job was closed"}`)
		default:
			_, _ = io.WriteString(w, `{"state": "recorded"}`)
		}
	}))
	defer app.Close()
	page := httptest.NewServer((&Phone{Reader: Reader{To: app.URL, Key: "mx_x"}}).Handler())
	defer page.Close()
	call := func(caller string, keys ...string) string {
		t.Helper()
		res, err := http.PostForm(page.URL+"/call", url.Values{"caller": {caller}})
		if err != nil {
			t.Fatal(err)
		}
		id := res.Request.URL.Query().Get("call")
		res.Body.Close()
		for _, k := range keys {
			if res, err = http.PostForm(page.URL+"/keys", url.Values{"call": {id}, "typed": {k}}); err != nil {
				t.Fatal(err)
			}
			defer res.Body.Close()
		}
		body, err := io.ReadAll(res.Body)
		if err != nil {
			t.Fatal(err)
		}
		return string(body)
	}
	said := call("+16175550101", "2001#", "2580#", "7", "1", "2214#", "6", "#", "3", "9", "the hoist is stuck")
	for _, words := range []string{"none of the keys", "It is done.", "kept for your lead to look at: The job was closed."} {
		if !strings.Contains(said, words) {
			t.Errorf("the line didn't say %q: %s", words, said)
		}
	}
	if len(sent) != 4 || sent[0]["job"] != "2214" || sent[0]["act"] != "in" || sent[0]["caller"] != "+16175550101" ||
		sent[1]["act"] != "switch" || sent[2]["break"] != "meal" || sent[3]["note"] != "the hoist is stuck" || sent[3]["act"] != "" {
		t.Errorf("it sent %v", sent)
	}
	if said := call("", "2001#", "1111#", "2"); !strings.Contains(said, "It could not be done") || !strings.Contains(said, "Goodbye") {
		t.Errorf("a wrong PIN: %s", said)
	}
}
