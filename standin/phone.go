package standin

import (
	"context"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"sync"

	"github.com/google/uuid"
)

// Phone is a phone line: it asks whoever calls for their number and PIN, and what they do,
// by keys, and does it through the interface of the application.
type Phone struct {
	Reader // how it asks: where, and with which key

	mu    sync.Mutex
	calls map[string]*call
}

// call is one call, as far as it has come.
type call struct {
	step                                step
	caller, number, pin, act, rest, job string
	said                                []string
}

type step string

const (
	askNumber step = "number"
	askPIN    step = "pin"
	askAct    step = "act"
	askJob    step = "job"
	askNote   step = "note"
	over      step = "over"
)

// acts are those that a key chooses, with the kind of a break.
var acts = map[string]struct{ act, rest string }{
	"1": {"in", ""}, "2": {"out", ""}, "3": {"break_start", "meal"}, "4": {"break_start", "rest"}, "5": {"break_end", ""},
	"6": {"switch", ""},
}

// prompts are what the line says at each step.
var prompts = map[step]string{
	askNumber: "Type your personnel number, then the hash key.",
	askPIN:    "Type your PIN, then the hash key.",
	askAct: "1 clock in. 2 clock out. 3 begin your meal. 4 begin your rest. 5 end the break. 6 go on to something else. " +
		"9 leave a note.",
	askJob:  "Type the number of the job, then the hash key; the hash key alone is what is planned.",
	askNote: "Speak your note after the tone; it is kept as text.",
	over:    "Goodbye.",
}

// begin takes a call from a number, "" where it is hidden.
func (p *Phone) begin(caller string) string {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.calls == nil {
		p.calls = map[string]*call{}
	}
	id := uuid.NewString()
	p.calls[id] = &call{step: askNumber, caller: strings.TrimSpace(caller), said: []string{prompts[askNumber]}}
	return id
}

// keys takes what was typed or spoken in a call, and says what the line says to that.
func (p *Phone) keys(ctx context.Context, id, typed string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	c := p.calls[id]
	if c == nil || c.step == over {
		return
	}
	typed = strings.TrimSpace(typed)
	digits := strings.TrimSuffix(typed, "#")
	switch c.step {
	case askNumber:
		c.number, c.step = digits, askPIN
	case askPIN:
		c.pin, c.step = digits, askAct
	case askAct:
		chosen, known := acts[digits]
		switch {
		case digits == "9":
			c.step = askNote
		case !known:
			c.said = append(c.said, "That is none of the keys.")
		default:
			c.act, c.rest = chosen.act, chosen.rest
			if c.step = askJob; c.act != "in" && c.act != "switch" {
				p.do(ctx, c, "")
			}
		}
	case askJob:
		c.job = digits
		p.do(ctx, c, "")
	case askNote:
		c.act = ""
		p.do(ctx, c, typed)
	}
	c.said = append(c.said, prompts[c.step])
}

// do asks the application for what was chosen, and goes on to the next.
func (p *Phone) do(ctx context.Context, c *call, note string) {
	sent := map[string]string{"id": uuid.NewString(), "number": c.number, "pin": c.pin, "act": c.act, "break": c.rest, "note": note}
	if c.caller != "" {
		sent["caller"] = c.caller
	}
	if c.job != "" {
		sent["job"] = c.job
	}
	var answer struct{ State, Why, Title, Detail string }
	status, err := p.ask(ctx, http.MethodPost, "/api/v1/calls", sent, &answer)
	words := "The line is broken: call again."
	switch {
	case err != nil:
	case status != http.StatusOK:
		words = strings.TrimSpace(answer.Title + ". " + answer.Detail)
	case answer.State == "recorded":
		words = "It is done."
	case answer.State == "claim":
		words = "It is kept for your lead to look at: " + answer.Why + "."
	default:
		words = "It could not be done: " + answer.Why + "."
	}
	c.said = append(c.said, words)
	c.act, c.rest, c.job, c.step = "", "", "", askAct
	if answer.State == "refused" {
		c.step = over
	}
}

var phonePage = template.Must(template.New("phone").Parse(`<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8">
    <meta name="viewport" content="width=device-width, initial-scale=1">
    <title>Phone, a stand-in</title>
  </head>
  <body>
    <h1>Phone, a stand-in</h1>
    {{if .ID}}
      <ol>
        {{range .Said}}<li>{{.}}</li>{{end}}
      </ol>
      {{if not .Over}}
        <form method="post" action="/keys">
          <input type="hidden" name="call" value="{{.ID}}">
          <label>Keys, or what you speak <input name="typed" autofocus autocomplete="off"></label>
          <button>Press</button>
        </form>
      {{end}}
      <p><a href="/">Hang up</a></p>
    {{else}}
      <form method="post" action="/call">
        <label>Your phone’s number, empty where it is hidden <input name="caller" placeholder="+16175550101"></label>
        <button>Call</button>
      </form>
    {{end}}
  </body>
</html>
`))

// Handler shows the phone as a page.
func (p *Phone) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		v := struct {
			ID   string
			Said []string
			Over bool
		}{ID: r.FormValue("call")}
		if c := p.calls[v.ID]; c != nil {
			v.Said, v.Over = c.said, c.step == over
		} else {
			v.ID = ""
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = phonePage.Execute(w, v) // the browser went away
	})
	mux.HandleFunc("POST /call", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, "/?call="+url.QueryEscape(p.begin(r.FormValue("caller"))), http.StatusSeeOther)
	})
	mux.HandleFunc("POST /keys", func(w http.ResponseWriter, r *http.Request) {
		p.keys(r.Context(), r.FormValue("call"), r.FormValue("typed"))
		http.Redirect(w, r, "/?call="+url.QueryEscape(r.FormValue("call")), http.StatusSeeOther)
	})
	return http.NewCrossOriginProtection().Handler(mux)
}
