// Package web is the interface in the browser: routes, one file per screen,
// small templates, and draw/ for what is drawn. It decides nothing: who may
// and what happens is asked of package app.
package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/google/uuid"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"manudex/app"
	"manudex/docs/guide"
	"manudex/tongue"
)

// Options are what a server can be told.
type Options struct {
	SecureCookies  bool           // set when served over HTTPS
	SignInLimit    int            // attempts per minute, account and address; 0 for 10
	Heartbeat      time.Duration  // of streams; 0 for 15 s
	Passing        time.Duration  // how often live lists are looked at because time passed; 0 for a minute
	KeptAtMost     int            // cards that a live list is made of and rows are sent of; 0 for 5,000
	Address        *url.URL       // how the server is reached; nil: as requests come
	TrustedProxies []netip.Prefix // whose X-Forwarded-For is believed
	Trust          []byte         // certificate of the authority that phones come to trust, PEM; nil for none
	SecurePort     string         // on which HTTPS is served
	TrustAddress   string         // of the page that tells how, reached without HTTPS
	Warnings       []string       // that an operator should know of
}

// Server answers the browser.
type Server struct {
	app      *app.App
	log      *slog.Logger
	opts     Options
	sessions *scs.SessionManager
	pages    pages
	guide    []guide.Page
	metrics  *metrics
	lists    lists
	feeds    *feeds        // of lists on live pages
	failures *guesses      // to sign in, and to guess links
	desk     slots         // of requests that are not the clock's
	heavy    slots         // of those among them that read very much
	stopping chan struct{} // closed when streams must end

	following struct { // live pages by person
		sync.Mutex
		by map[uuid.UUID]int
	}
}

// New makes the server.
func New(a *app.App, opts Options) (*Server, error) {
	if opts.SignInLimit == 0 {
		opts.SignInLimit = 10
	}
	if opts.Heartbeat == 0 {
		opts.Heartbeat = heartbeat
	}
	if opts.KeptAtMost == 0 {
		opts.KeptAtMost = keptAtMost
	}
	if opts.Passing == 0 {
		opts.Passing = time.Minute
	}
	s := &Server{app: a, log: a.Log, opts: opts, stopping: make(chan struct{})}
	s.following.by = map[uuid.UUID]int{}
	s.feeds = &feeds{s: s, open: map[*follower]struct{}{}, joined: make(chan struct{}, 1)}
	s.failures = newGuesses(time.Minute, time.Now)
	s.sessions = scs.New()
	s.sessions.Store = pgxstore.NewWithCleanupInterval(a.DB.Pool, 0)
	s.sessions.HashTokenInStore = true
	s.sessions.Lifetime = cookieLasts
	s.sessions.Cookie.Name = "manudex"
	if opts.SecureCookies {
		s.sessions.Cookie.Name = "__Host-manudex" // of this host alone, and over HTTPS
	}
	s.sessions.Cookie.SameSite = http.SameSiteLaxMode
	s.sessions.Cookie.Secure = opts.SecureCookies
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) { s.fail(w, r, err) }
	s.metrics = newMetrics(a)
	s.desk, s.heavy = make(slots, deskSlots(int(a.DB.Pool.Config().MaxConns))), make(slots, heavySlots)
	var err error
	if s.pages, err = loadPages(); err != nil {
		return s, err
	}
	s.guide, err = guide.Pages()
	return s, err
}

// StopStreams ends the live streams, so that a shutdown needn't wait for
// them.
func (s *Server) StopStreams() { close(s.stopping) }

// Run forgets sessions that have ended, until the context does.
func (s *Server) Run(ctx context.Context) {
	every := time.NewTicker(10 * time.Minute)
	defer every.Stop()
	for {
		if _, err := s.app.DB.ExecContext(ctx, `delete from sessions where expiry < current_timestamp`); err != nil && ctx.Err() == nil {
			s.log.Warn("forget old sessions", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// Handler is everything the browser reaches.
func (s *Server) Handler() http.Handler {
	r := chi.NewRouter()
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		s.say(w, r, http.StatusForbidden, "This came from another site", "Open Manudex itself and do it there.")
	}))
	r.Use(ownRequestID, s.observe, s.recover, s.headers, s.knownHost, guard.Handler, middleware.GetHead)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, app.ErrNotFound) })
	r.MethodNotAllowed(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, app.ErrNotFound) })
	plain := r.With(middleware.Compress(5, "text/css", "text/javascript"))
	signed := r.With(middleware.Compress(5, "text/html"), s.sessions.LoadAndSave)
	for _, route := range s.routes() {
		on := chi.Router(signed)
		if route.needs == "" || route.needs == holdsKey {
			on = plain
		}
		if route.needs == signingIn {
			on = signed
		}
		on.Method(route.method, route.pattern, s.answer(route))
	}
	return r
}

// Metrics is what a Prometheus server reads, on a port of its own.
func (s *Server) Metrics() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("/metrics", promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{}))
	return mux
}

// visit is who makes a request, once that is known.
type visit struct{ actor app.Actor }

type visitKey struct{}

func visitOf(r *http.Request) visit {
	v, _ := r.Context().Value(visitKey{}).(visit)
	return v
}

// answer asks who is there and whether they may, and gives errors their page.
func (s *Server) answer(route route) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		fail := s.fail
		if route.needs == holdsKey {
			fail = func(w http.ResponseWriter, r *http.Request, err error) { s.writeProblem(w, r, problemOf(err)) }
		}
		if err := bound(w, r, route); err != nil {
			fail(w, r, err)
			return
		}
		if route.needs != "" && route.needs != signingIn && route.needs != holdsKey {
			actor, err := s.actor(r)
			if err != nil {
				if errors.Is(err, app.ErrNotFound) {
					s.toSignIn(w, r)
					return
				}
				s.fail(w, r, err)
				return
			}
			w.Header().Set("Content-Language", actor.Language)
			if !actor.May(route.needs) {
				s.log.Warn("refused", "person", actor.ID, "method", route.method, "route", route.pattern, "needs",
					route.needs, "address", s.clientOf(r))
				s.fail(w, r, app.ErrForbidden)
				return
			}
			s.used(r)
			if err := s.app.UsedGrant(r.Context(), actor, route.needs); err != nil {
				s.fail(w, r, err)
				return
			}
			r = r.WithContext(context.WithValue(r.Context(), visitKey{}, visit{actor: actor}))
		}
		if !route.quick() {
			leave, err := s.desk.take(r.Context())
			if err != nil {
				fail(w, r, err)
				return
			}
			defer leave()
		}
		if err := route.handle(w, r); err != nil {
			fail(w, r, err)
		}
	})
}

// toSignIn sends a stranger to the sign-in page, and back afterwards when
// they came to read.
func (s *Server) toSignIn(w http.ResponseWriter, r *http.Request) {
	to := "/signin"
	if r.Method == http.MethodGet && r.URL.Path != "/" && r.URL.Path != "/live" {
		to += "?to=" + urlEscape(r.URL.RequestURI())
	}
	if r.Header.Get("HX-Request") != "" || r.URL.Path == "/live" {
		w.Header().Set("HX-Redirect", to)
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// headers keep the browser from doing what we never ask of it.
func (s *Server) headers(next http.Handler) http.Handler {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; " +
		"worker-src 'self'; manifest-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Language", tongue.Match(r.Header.Get("Accept-Language"))) // until it is known whose page it is
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(self)")
		if r.TLS != nil || s.opts.SecureCookies {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// ownRequestID gives a request an id of our own: one that came with it could
// be made to look like another's.
func ownRequestID(next http.Handler) http.Handler {
	with := middleware.RequestID(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Header.Del(middleware.RequestIDHeader)
		with.ServeHTTP(w, r)
	})
}

// pathOf gives the path of a request as a log may hold it: without the token
// of a link, by which whoever reads the log could get in.
func pathOf(r *http.Request) string {
	for _, secret := range []string{"/welcome/", "/hours/", feedPath, "/signin/end/"} {
		if strings.HasPrefix(r.URL.Path, secret) {
			return secret + "…"
		}
	}
	return r.URL.Path
}

// observe writes a log line and the measures of a request.
func (s *Server) observe(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		begun := time.Now()
		id := middleware.GetReqID(r.Context())
		w.Header().Set("X-Request-Id", id)
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		pattern := chi.RouteContext(r.Context()).RoutePattern()
		took := time.Since(begun)
		status := ww.Status()
		if status == 0 {
			status = http.StatusOK
		}
		s.metrics.request(r.Method, pattern, status, took)
		level := slog.LevelDebug
		if status >= 500 {
			level = slog.LevelError
		}
		s.log.Log(r.Context(), level, "request", "id", id, "method", r.Method, "path", pathOf(r), "status", status, "bytes",
			ww.BytesWritten(), "took", took)
	})
}

// recover turns a panic into an error page and a log line.
func (s *Server) recover(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if v := recover(); v != nil {
				if v == http.ErrAbortHandler {
					panic(v)
				}
				s.log.Error("panic", "id", middleware.GetReqID(r.Context()), "value", v, "stack", string(debug.Stack()))
				s.fail(w, r, fmt.Errorf("panic: %v", v))
			}
		}()
		next.ServeHTTP(w, r)
	})
}
