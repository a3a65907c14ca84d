package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"

	"manudex/app"
	"manudex/web"
)

// grace is how long a shutdown waits for requests in hand.
const grace = 10 * time.Second

func serveCommand(cfg *config) *cobra.Command {
	var listen, metrics string
	var post app.Post
	var opts web.Options
	cmd := &cobra.Command{Use: "serve", Short: "Serve the application", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return serve(cmd.Context(), cfg, listen, metrics, post, opts)
		}}
	cmd.Flags().StringVar(&listen, "listen", envOr("MANUDEX_LISTEN", "127.0.0.1:8080"), "address to serve on (MANUDEX_LISTEN)")
	cmd.Flags().StringVar(&metrics, "metrics", envOr("MANUDEX_METRICS", "127.0.0.1:0"), "address of /metrics; port 0 takes a free one, empty none (MANUDEX_METRICS)")
	cmd.Flags().StringVar(&post.Server, "smtp", os.Getenv("MANUDEX_SMTP"), "mail server, host:port; none sends no mail (MANUDEX_SMTP)")
	cmd.Flags().StringVar(&post.From, "mail-from", envOr("MANUDEX_MAIL_FROM", "manudex@localhost"), "sender of mail (MANUDEX_MAIL_FROM)")
	cmd.Flags().BoolVar(&opts.SecureCookies, "secure-cookies", os.Getenv("MANUDEX_SECURE_COOKIES") != "", "send cookies over HTTPS only (MANUDEX_SECURE_COOKIES)")
	return cmd
}

func serve(ctx context.Context, cfg *config, listen, metrics string, post app.Post, opts web.Options) error {
	with, err := cfg.begin(ctx)
	if err != nil {
		return err
	}
	log, db := with.log, with.db
	defer db.Close()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	a := app.New(db, with.now, log)
	a.Post = post
	if _, err := a.Company(ctx); err != nil {
		return err
	}
	s, err := web.New(a, opts)
	if err != nil {
		return err
	}

	running, stop := context.WithCancel(context.WithoutCancel(ctx))
	defer stop()
	go a.Run(running)
	go s.Run(running)

	main := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("%w: stop what holds the address, or choose another with --listen", err)
	}
	failed := make(chan error, 2)
	go func() { failed <- main.Serve(l) }()
	log.Info("serving", "address", "http://"+l.Addr().String())
	var side *http.Server
	if metrics != "" {
		ml, err := net.Listen("tcp", metrics)
		if err != nil {
			return fmt.Errorf("metrics: %w: choose another address with --metrics", err)
		}
		side = &http.Server{Handler: s.Metrics(), ReadHeaderTimeout: 10 * time.Second}
		go func() { failed <- side.Serve(ml) }()
		log.Info("metrics", "address", "http://"+ml.Addr().String()+"/metrics")
	}
	select {
	case <-ctx.Done():
	case err := <-failed:
		return err
	}
	log.Info("stopping: finishing the requests in hand")
	s.StopStreams()
	wait, cancel := context.WithTimeout(context.Background(), grace)
	defer cancel()
	err = main.Shutdown(wait)
	if side != nil {
		err = errors.Join(err, side.Close())
	}
	return err
}
