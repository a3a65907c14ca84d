package main

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"manudex/app"
	"manudex/app/work"
	"manudex/authority"
	"manudex/store"
	"manudex/web"
)

// grace is how long a shutdown waits for requests in hand.
const grace = 10 * time.Second

// serving is what serve is told.
type serving struct {
	listen, metrics  string
	address, proxies string
	cert, key        string
	localTLS         string // directory of an authority of one's own
	trustListen      string // where phones come to trust it, without HTTPS
	post             app.Post
	texts            app.Texts
	noWork           bool // whatever runs later is worked elsewhere
	opts             web.Options
}

func serveCommand(cfg *config) *cobra.Command {
	var o serving
	cmd := &cobra.Command{Use: "serve", Short: "Serve the application", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return serve(cmd.Context(), cfg, o) }}
	text := flagText(cmd)
	text(&o.listen, "listen", "MANUDEX_LISTEN", "127.0.0.1:8080", "address to serve on")
	text(&o.metrics, "metrics", "MANUDEX_METRICS", "127.0.0.1:0", "address of /metrics; port 0 takes a free one, none serves none")
	text(&o.proxies, "trusted-proxies", "MANUDEX_TRUSTED_PROXIES", "",
		"addresses or networks, with commas, whose X-Forwarded-For is believed")
	text(&o.cert, "tls-cert", "MANUDEX_TLS_CERT", "", "certificate to serve HTTPS with, PEM")
	text(&o.key, "tls-key", "MANUDEX_TLS_KEY", "", "its key, PEM")
	text(&o.localTLS, "tls-local", "MANUDEX_TLS_LOCAL", "",
		"directory in which to keep an authority of one's own, for HTTPS on a local network")
	text(&o.trustListen, "trust-listen", "MANUDEX_TRUST_LISTEN", "",
		"address without HTTPS of the page by which phones come to trust that authority")
	o.outsideFlags(cmd)
	cmd.Flags().BoolVar(&o.noWork, "no-work", os.Getenv("MANUDEX_NO_WORK") != "",
		"leave what runs later to manudex work (MANUDEX_NO_WORK)")
	cmd.Flags().BoolVar(&o.opts.SecureCookies, "secure-cookies", os.Getenv("MANUDEX_SECURE_COOKIES") != "",
		"send cookies over HTTPS only (MANUDEX_SECURE_COOKIES)")
	return cmd
}

// outsideFlags are those of how people are reached who aren't looking.
func (o *serving) outsideFlags(cmd *cobra.Command) {
	text := flagText(cmd)
	text(&o.address, "address", "MANUDEX_ADDRESS", "",
		"how people reach the server, https://hours.example; links are made of it, and other names refused")
	text(&o.post.Server, "smtp", "MANUDEX_SMTP", "", "mail server, host:port; none sends no mail")
	text(&o.post.From, "mail-from", "MANUDEX_MAIL_FROM", "manudex@localhost", "sender of mail")
	text(&o.texts.Service, "text", "MANUDEX_TEXT", "",
		"service for text messages: an address that takes POST with JSON of to and text; none sends none")
	text(&o.texts.Key, "text-key", "MANUDEX_TEXT_KEY", "", "its bearer token")
}

// flagText gives what adds a flag that the environment can set.
func flagText(cmd *cobra.Command) func(into *string, flag, env, fallback, what string) {
	return func(into *string, flag, env, fallback, what string) {
		cmd.Flags().StringVar(into, flag, envOr(env, fallback), what+" ("+env+")")
	}
}

// ready checks what serve was told, and gives the certificate to serve with,
// nil for none.
func (o *serving) ready(now time.Time) (*tls.Certificate, error) {
	var err error
	if o.opts.TrustedProxies, err = web.ParseProxies(o.proxies); err != nil {
		return nil, fmt.Errorf("trusted proxies %q: %w; write addresses or networks such as 10.0.0.0/8", o.proxies, err)
	}
	if o.address != "" {
		u, err := url.Parse(o.address)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || strings.Trim(u.Path, "/") != "" {
			return nil, fmt.Errorf("address %q: write it as https://hours.example", o.address)
		}
		o.opts.Address = u
		o.opts.SecureCookies = o.opts.SecureCookies || u.Scheme == "https"
	}
	switch {
	case (o.cert == "") != (o.key == ""):
		return nil, fmt.Errorf("a certificate and its key go together: give both --tls-cert and --tls-key")
	case o.cert != "":
		pair, err := tls.LoadX509KeyPair(o.cert, o.key)
		if err != nil {
			return nil, fmt.Errorf("certificate: %w", err)
		}
		o.opts.SecureCookies = true
		return &pair, nil
	case o.localTLS != "":
		return o.local(now)
	case o.trustListen != "":
		return nil, fmt.Errorf("--trust-listen goes with --tls-local: there is no authority to come to trust")
	}
	return nil, nil
}

// outside says how the application reaches people who aren't looking at it.
func (o *serving) outside(a *app.App, secure bool) {
	a.Post, a.Texts = o.post, o.texts
	switch {
	case o.opts.Address != nil:
		a.Address = strings.TrimSuffix(o.opts.Address.String(), "/")
	case secure:
		a.Address = "https://" + o.listen
	default:
		a.Address = "http://" + o.listen
	}
}

// workCommand works what runs later, beside servers that don't, or more than they do.
func workCommand(cfg *config) *cobra.Command {
	var o serving
	cmd := &cobra.Command{Use: "work", Short: "Work what runs later, by itself", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if _, err := o.ready(time.Now()); err != nil {
				return err
			}
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			a := app.New(with.db, with.now, with.log)
			o.outside(a, false)
			if _, err := a.Company(cmd.Context()); err != nil {
				return err
			}
			running, stop := context.WithCancel(context.WithoutCancel(cmd.Context()))
			ended := make(chan struct{})
			go func() { defer close(ended); a.Run(running) }() // what it does is told to the pages
			err = work.Run(cmd.Context(), a)
			stop()
			<-ended
			return err
		}}
	o.outsideFlags(cmd)
	cmd.Flags().StringVar(&o.listen, "listen", envOr("MANUDEX_LISTEN", "127.0.0.1:8080"),
		"address of the server, for links (MANUDEX_LISTEN)")
	return cmd
}

// local opens the authority of one's own.
func (o *serving) local(now time.Time) (*tls.Certificate, error) {
	var given []string
	if o.opts.Address != nil {
		given = append(given, o.opts.Address.Hostname())
	}
	hosts, err := authority.Hosts(given...)
	if err != nil {
		return nil, err
	}
	local, err := authority.Open(o.localTLS, hosts, now)
	if err != nil {
		return nil, fmt.Errorf("the authority of one's own: %w", err)
	}
	o.opts.SecureCookies, o.opts.Trust = true, local.Trust
	if _, port, err := net.SplitHostPort(o.trustListen); err == nil && o.opts.Address != nil {
		o.opts.TrustAddress = "http://" + net.JoinHostPort(o.opts.Address.Hostname(), port) + "/trust"
	}
	return &local.Server, nil
}

// listener is a server with what it listens on.
type listener struct {
	*http.Server
	on net.Listener
}

func listenOn(address, flag string, handler http.Handler, cert *tls.Certificate) (*listener, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("%w: stop what holds the address, or choose another with --%s", err, flag)
	}
	if cert != nil {
		l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{*cert}, MinVersion: tls.VersionTLS12})
	}
	return &listener{&http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}, l}, nil
}

// longestStatement is when the database gives a statement of a server up.
const longestStatement = time.Minute

func serve(ctx context.Context, cfg *config, o serving) error {
	cert, err := o.ready(time.Now())
	if err != nil {
		return err
	}
	with, err := cfg.begin(ctx)
	if err != nil {
		return err
	}
	log := with.log
	err = with.db.Migrate(ctx) // which may take long
	with.db.Close()
	if err != nil {
		return err
	}
	db, err := store.OpenWith(ctx, cfg.database, store.Opening{Statement: longestStatement})
	if err != nil {
		return err
	}
	defer db.Close()
	risks, err := store.Risks(ctx, db)
	if err != nil {
		return err
	}
	for _, r := range risks {
		log.Warn("what is acknowledged may be lost", "setting", r.Setting, "is", r.Is, "means", r.Means)
		o.opts.Warnings = append(o.opts.Warnings, "warning: "+r.Setting+" is "+r.Is+": "+r.Means)
	}
	a := app.New(db, with.now, log)
	if a.Keys, err = accountKeys(); err != nil {
		return err
	}
	o.outside(a, cert != nil)
	if _, err := a.Company(ctx); err != nil {
		return err
	}
	if _, o.opts.SecurePort, err = net.SplitHostPort(o.listen); err != nil {
		return fmt.Errorf("address to serve on %q: write it as host:port", o.listen)
	}
	s, err := web.New(a, o.opts)
	if err != nil {
		return err
	}

	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		a.Run(running)
	}()
	go s.Run(running)
	worked := make(chan error, 1)
	go func() {
		if o.noWork {
			<-running.Done()
			worked <- nil
			return
		}
		worked <- work.Run(running, a)
	}()

	main, err := listenOn(o.listen, "listen", s.Handler(), cert)
	if err != nil {
		return err
	}
	scheme := "http://"
	if cert != nil {
		scheme = "https://"
	}
	log.Info("serving", "address", scheme+main.on.Addr().String())
	all := []*listener{main}
	if o.metrics != "" && o.metrics != "none" {
		side, err := listenOn(o.metrics, "metrics", s.Metrics(), nil)
		if err != nil {
			return err
		}
		log.Info("metrics", "address", "http://"+side.on.Addr().String()+"/metrics")
		all = append(all, side)
	}
	if o.trustListen != "" {
		trust, err := listenOn(o.trustListen, "trust-listen", s.TrustOnly(), nil)
		if err != nil {
			return err
		}
		log.Info("phones come to trust this server", "address", "http://"+trust.on.Addr().String()+"/trust")
		all = append(all, trust)
	}
	failed := make(chan error, len(all))
	for _, l := range all {
		go func() { failed <- l.Serve(l.on) }()
	}
	select {
	case <-ctx.Done():
	case err := <-failed:
		return err
	case err := <-worked:
		return err
	}
	log.Info("stopping: finishing the requests in hand")
	s.StopStreams()
	wait, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	if err = main.Shutdown(wait); errors.Is(err, context.DeadlineExceeded) {
		log.Warn("requests took too long and are broken off; what they had not committed is not done")
		err = main.Close()
	}
	for _, side := range all[1:] {
		err = errors.Join(err, side.Close())
	}
	// Requests that were still in hand have ended or been broken off; what they
	// did is told to the other nodes before the database is closed.
	stop()
	<-ended
	return errors.Join(err, <-worked)
}
