package main

import (
	"bufio"
	"context"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"
	"time"

	"manudex/dbtest"
	"manudex/demo"
)

// Told to stop, the server ends its streams, finishes the requests it has in
// hand and takes no new ones.
func TestServeStopsGracefully(t *testing.T) {
	db := dbtest.DB(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	addr := l.Addr().String()
	l.Close()
	cfg := &config{database: db.Pool.Config().ConnString(), logLevel: "error", now: dbtest.Now.Format(time.RFC3339)}
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- serve(ctx, cfg, serving{listen: addr, metrics: "127.0.0.1:0"}) }()

	base := "http://" + addr
	for { // until it listens
		if res, err := http.Get(base + "/readyz"); err == nil {
			res.Body.Close()
			break
		}
		select {
		case err := <-ended:
			t.Fatal(err)
		default:
		}
	}
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	form := url.Values{"email": {"dao.pham@" + demo.MailDomain}, "password": {demo.Password}}
	res, err := client.PostForm(base+"/signin", form)
	if err != nil || res.StatusCode != http.StatusSeeOther {
		t.Fatalf("sign in: %v %v", res, err)
	}
	req, err := http.NewRequest("GET", base+"/live", nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range res.Cookies() {
		req.AddCookie(c)
	}
	stream, err := client.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer stream.Body.Close()
	events := bufio.NewReader(stream.Body)
	if line, err := events.ReadString('\n'); err != nil || line != "event: hello\n" {
		t.Fatalf("the stream begins with %q, %v", line, err)
	}

	// A request is in hand: its head is sent, and half of its body.
	conn, err := net.Dial("tcp", addr)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	body := form.Encode()
	head := "POST /signin HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: " +
		strconv.Itoa(len(body)) + "\r\n\r\n"
	if _, err := io.WriteString(conn, head+body[:10]); err != nil {
		t.Fatal(err)
	}
	// The server has begun to read it once another request is answered on a
	// connection opened after it.
	if res, err := client.Get(base + "/readyz"); err == nil {
		res.Body.Close()
	}
	stop()
	if _, err := io.ReadAll(events); err != nil {
		t.Errorf("the stream broke off: %v", err)
	}
	if _, err := io.WriteString(conn, body[10:]); err != nil {
		t.Fatal(err)
	}
	answer, err := bufio.NewReader(conn).ReadString('\n')
	if err != nil || !strings.Contains(answer, "303") {
		t.Errorf("the request in hand is answered %q, %v", answer, err)
	}
	if err := <-ended; err != nil {
		t.Errorf("serve ended with %v", err)
	}
	if _, err := net.DialTimeout("tcp", addr, time.Second); err == nil {
		t.Error("it still listens")
	}
}

func TestFixedNow(t *testing.T) {
	now, err := (&config{now: "2026-11-13T10:12:00-05:00"}).clock()
	if err != nil || !now().Equal(dbtest.Now) {
		t.Errorf("%v, %v", now(), err)
	}
	if _, err := (&config{now: "yesterday"}).clock(); err == nil ||
		!strings.Contains(err.Error(), "write it as 2026-11-13T10:12:00-05:00") {
		t.Errorf("a malformed now: %v", err)
	}
	if _, err := (&config{logLevel: "loud"}).logger(); err == nil {
		t.Error("a log level that is none was taken")
	}
}

// What serve is told is checked before it serves, and leads to the page by
// which phones come to trust it.
func TestWhatServeIsTold(t *testing.T) {
	for wrong, o := range map[string]serving{
		"write addresses or networks": {proxies: "the proxy"},
		"write it as https://":        {address: "hours.example"},
		"goes with --tls-local":       {trustListen: ":8082"},
	} {
		if _, err := o.ready(dbtest.Now); err == nil || !strings.Contains(err.Error(), wrong) {
			t.Errorf("%+v: %v", o, err)
		}
	}
	o := serving{address: "https://hours.example:8443", localTLS: t.TempDir(), trustListen: "0.0.0.0:8082"}
	cert, err := o.ready(dbtest.Now)
	if err != nil || cert == nil || !o.opts.SecureCookies || len(o.opts.Trust) == 0 {
		t.Fatalf("%+v, %v", o, err)
	}
	if o.opts.TrustAddress != "http://hours.example:8082/trust" {
		t.Errorf("phones are led to %s", o.opts.TrustAddress)
	}
}
