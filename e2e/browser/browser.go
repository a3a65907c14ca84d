// Package browser starts Debian's Chromium for tests and pictures.
package browser

import (
	"fmt"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
)

// Path is where Debian's package puts the browser.
const Path = "/usr/bin/chromium-headless-shell"

// Start starts a headless browser. Its stop function ends it.
func Start() (b *rod.Browser, stop func(), err error) {
	l := launcher.New().Bin(Path).Headless(true).NoSandbox(true).Leakless(false)
	for _, flag := range []string{"disable-gpu", "disable-quic", "no-first-run", "disable-background-networking",
		"disable-component-update", "disable-sync", "hide-scrollbars"} {
		l = l.Set(flags.Flag(flag))
	}
	url, err := l.Launch()
	if err != nil {
		return nil, nil, fmt.Errorf("start %s: %w; is the package chromium installed?", Path, err)
	}
	b = rod.New().ControlURL(url)
	if err := b.Connect(); err != nil {
		l.Kill()
		return nil, nil, fmt.Errorf("connect to the browser: %w", err)
	}
	return b, func() {
		_ = b.Close() // it is killed right after
		l.Kill()
		l.Cleanup()
	}, nil
}
