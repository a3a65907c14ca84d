// Command shots takes pictures of a running demo: one PNG for each line of
// its arguments, "name user WxH theme path"; the theme is light, dark, or paper as it's printed.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/proto"

	"manudex/demo"
	"manudex/e2e/browser"
)

func main() {
	base := flag.String("base", "http://127.0.0.1:8080", "address of the demo")
	out := flag.String("out", "docs/screenshots", "directory for the pictures")
	flag.Parse()
	b, stop, err := browser.Start()
	if err != nil {
		log.Fatal(err)
	}
	defer stop()
	signedIn := map[string]*rod.Browser{}
	for _, arg := range flag.Args() {
		if err := shoot(b, signedIn, *base, *out, strings.Fields(arg)); err != nil {
			log.Printf("%s: %.120s", arg, err)
		}
	}
}

func shoot(b *rod.Browser, signedIn map[string]*rod.Browser, base, out string, f []string) (err error) {
	if len(f) < 5 {
		return fmt.Errorf(`write "name user WxH theme path [selectors to click]"`)
	}
	name, user, theme, path := f[0], f[1], f[3], f[4]
	var w, h int
	if _, err := fmt.Sscanf(f[2], "%dx%d", &w, &h); err != nil {
		return fmt.Errorf("size %s: %w", f[2], err)
	}
	return rod.Try(func() {
		as := signedIn[user]
		if as == nil {
			as = b.MustIncognito()
			signedIn[user] = as
			if user != "-" {
				p := as.MustPage(base + "/signin").Timeout(20 * time.Second)
				p.MustElement("#email").MustInput(user + "@" + demo.MailDomain)
				p.MustElement("#password").MustInput(demo.Password)
				p.MustElement("form .btn-primary").MustClick()
				p.MustElement(".top nav")
				p.MustClose()
			}
		}
		p := as.MustPage("").Timeout(20 * time.Second)
		defer p.MustClose()
		p.MustSetViewport(w, h, 1, w < 600)
		if w < 600 {
			p.MustSetUserAgent(&proto.NetworkSetUserAgentOverride{UserAgent: "Mozilla/5.0 (Linux; Android 14) Mobile"})
		}
		if theme == "paper" { // as it's printed
			theme = "light"
			if err := (proto.EmulationSetEmulatedMedia{Media: "print"}).Call(p); err != nil {
				panic(err)
			}
		}
		p.MustEvalOnNewDocument(`localStorage.setItem("theme", "` + theme + `")`)
		p.MustNavigate(base + path).MustWaitLoad()
		settle(p)
		for _, selector := range f[5:] {
			p.MustElement(selector).MustClick()
			settle(p)
		}
		full := strings.HasSuffix(name, "-full")
		shot := p.MustScreenshot()
		if full {
			shot = p.MustScreenshotFullPage()
		}
		if err := os.WriteFile(filepath.Join(out, name+".png"), shot, 0o644); err != nil {
			panic(err)
		}
	})
}

// settle waits until the fonts are there and the page stands still.
func settle(p *rod.Page) {
	p.MustEval(`() => document.fonts.ready.then(() => true)`)
	p.MustWaitDOMStable()
}
