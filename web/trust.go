package web

import (
	"html/template"
	"net/http"
	"strings"

	"manudex/app"
)

type trustView struct {
	Title, AskWhom, Company string
	Image                   template.URL // of the address of this page
	Address                 string
}

// trustPage tells how a phone or terminal comes to trust this server, where it
// has a certificate of its own authority: without, browsers allow no location
// and no work without signal.
func (s *Server) trustPage(w http.ResponseWriter, r *http.Request) error {
	if len(s.opts.Trust) == 0 {
		return app.ErrNotFound
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := trustView{Title: "Trust this server", AskWhom: place.WhomToAsk, Company: place.Name, Address: s.opts.TrustAddress}
	if v.Address == "" {
		v.Address = s.origin(r) + "/trust"
	}
	if v.Image, err = qrImage(v.Address); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "trust", v)
	return nil
}

// authorityFile is the certificate that phones come to trust.
func (s *Server) authorityFile(w http.ResponseWriter, r *http.Request) error {
	if len(s.opts.Trust) == 0 {
		return app.ErrNotFound
	}
	w.Header().Set("Content-Type", "application/x-x509-ca-cert")
	w.Header().Set("Content-Disposition", `attachment; filename="manudex-authority.crt"`)
	_, err := w.Write(s.opts.Trust)
	return err
}

// TrustOnly is what is reached without HTTPS: how to come to trust the server,
// and from everything else the way to it.
func (s *Server) TrustOnly() http.Handler {
	whole := s.Handler()
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/trust" && r.URL.Path != "/trust/authority.crt" && !strings.HasPrefix(r.URL.Path, "/static/") {
			http.Redirect(w, r, s.secureOrigin(r)+"/", http.StatusSeeOther)
			return
		}
		if s.opts.Address != nil { // this is another of the server's own
			r = r.Clone(r.Context())
			r.Host = s.opts.Address.Host
		}
		whole.ServeHTTP(w, r)
	})
}
