package bench

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/web/livetest"
)

const (
	liveStreams  = 50
	punchesEvery = 100 * time.Millisecond
	punchesLive  = 200
	liveClients  = "MANUDEX_BENCH_FOLLOW" // address and who signs in, of the process that follows
)

// TestLiveRows measures what 50 pages of Today cost a node while 10 punches a
// second come in, and how long it takes from an acknowledged punch until each
// page has the row. The pages are another process, so that their work isn't
// counted.
func TestLiveRows(t *testing.T) {
	begun := time.Now()
	s := open(t, dsn(t, "MANUDEX_BENCH_LIVE"), func() time.Time { return now.Add(time.Since(begun)) })
	var running []uuid.UUID
	if err := s.db.Select(&running,
		`select person_id from stint where end_at is null and date = '2026-11-13' order by person_id limit $1`, 2*punchesLive); err != nil {
		t.Fatal(err)
	}
	if len(running) < 2*punchesLive {
		t.Fatalf("%d people are on the clock", len(running))
	}
	acked, alone := s.punchOut(t, running[:punchesLive])
	pages := followAll(t, s.url, s.readers(t))
	acked, with := s.punchOut(t, running[punchesLive:])
	took := pages.rows(t, acked)
	fmt.Printf("Live: %d pages of Today, %d rows of %d punches laid; from the acknowledged punch p50 %v, p99 %v, most %v; "+
		"beside the punches the node took %.2f of a core (%.2f with, %.2f without pages)\n", pages.streams, len(took), len(acked),
		took[len(took)/2].Round(time.Millisecond), took[len(took)*99/100].Round(time.Millisecond),
		took[len(took)-1].Round(time.Millisecond),
		with-alone, with, alone)
}

// readers are who looks at the pages: three of five the whole company, the
// others their crew.
func (s *site) readers(t *testing.T) (emails []string) {
	t.Helper()
	var all, leads []string
	if err := s.db.Select(&all,
		`select email from person where level = 'manager' and password_hash is not null order by email`); err != nil {
		t.Fatal(err)
	}
	if err := s.db.Select(&leads,
		`select email from person where level = 'lead' and password_hash is not null order by email`); err != nil {
		t.Fatal(err)
	}
	for i := range liveStreams {
		if i < liveStreams*3/5 {
			emails = append(emails, all[i%len(all)])
		} else {
			emails = append(emails, leads[i%len(leads)])
		}
	}
	return emails
}

// punchOut clocks people out, ten a second. It gives when each was
// acknowledged, and how much of a core this process used.
func (s *site) punchOut(t *testing.T, who []uuid.UUID) (acked map[uuid.UUID]time.Time, cores float64) {
	t.Helper()
	ctx, acked := context.Background(), map[uuid.UUID]time.Time{}
	begun, used := time.Now(), cpu(t)
	tick := time.NewTicker(punchesEvery)
	defer tick.Stop()
	for _, person := range who {
		<-tick.C
		actor, err := s.Actor(ctx, person)
		if err != nil {
			t.Fatal(err)
		}
		if err := s.Do(ctx, actor, hours.Punch{ID: uuid.Must(uuid.NewV7()), Act: clock.Out}); err != nil {
			t.Fatal(err)
		}
		acked[*actor.Employment] = time.Now()
	}
	return acked, (cpu(t) - used).Seconds() / time.Since(begun).Seconds()
}

func cpu(t *testing.T) time.Duration {
	t.Helper()
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		t.Fatal(err)
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// livePages is the process that follows.
type livePages struct {
	streams int
	lines   chan string // that it writes
	stop    func()      // the process ends
}

// laid is a row that a page has.
type laid struct {
	Page int
	Row  string
	At   int64 // Unix nanoseconds
}

// followAll starts the process, and gives it when all pages follow.
func followAll(t *testing.T, address string, readers []string) *livePages {
	t.Helper()
	cmd := exec.Command(os.Args[0], "-test.run", "^TestFollow$", "-test.v")
	cmd.Env = append(os.Environ(), liveClients+"="+address+" "+strings.Join(readers, " "))
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	p := &livePages{lines: make(chan string, 1<<20), stop: func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait() // it was killed
	}}
	t.Cleanup(p.stop)
	go func() {
		defer close(p.lines)
		for text := bufio.NewScanner(out); text.Scan(); {
			p.lines <- text.Text()
		}
	}()
	for line := range p.lines {
		if n, ok := strings.CutPrefix(line, "following "); ok {
			if p.streams, err = strconv.Atoi(n); err != nil {
				t.Fatal(err)
			}
			return p
		}
	}
	t.Fatal("the pages don't follow")
	return nil
}

// rows gives how long after its punch each row came to each page that shows it,
// the shortest first.
func (p *livePages) rows(t *testing.T, acked map[uuid.UUID]time.Time) []time.Duration {
	t.Helper()
	came, whole := map[laid]bool{}, map[int]int{}
	var took []time.Duration
	all := 0
	late := time.AfterFunc(30*time.Second, func() {
		t.Errorf("after half a minute %d pages have everything; rows by page: %v", all, whole)
		p.stop()
	})
	defer late.Stop()
	for line := range p.lines {
		var l laid
		if err := json.Unmarshal([]byte(line), &l); err != nil {
			continue // what the test tool says
		}
		at, err := uuid.Parse(l.Row[len("card-"):][:36])
		if err != nil {
			t.Fatal(err)
		}
		key := laid{Page: l.Page, Row: l.Row}
		if ack, ok := acked[at]; ok && !came[key] {
			came[key] = true
			whole[l.Page]++
			took = append(took, time.Unix(0, l.At).Sub(ack))
		}
		if whole[l.Page] == len(acked) { // of those who see everybody
			if all++; all == liveStreams*3/5 {
				break
			}
		}
	}
	slices.Sort(took)
	return took
}

// TestFollow is the process that follows: it reads Today for each who signs in,
// and tells of each row of somebody who clocked out.
func TestFollow(t *testing.T) {
	asked := strings.Fields(os.Getenv(liveClients))
	if len(asked) == 0 {
		t.Skip("started by TestLiveRows")
	}
	s := &site{url: asked[0]}
	var wg sync.WaitGroup
	var out sync.Mutex
	told := json.NewEncoder(os.Stdout)
	follow := make(chan struct{}, len(asked))
	for i, email := range asked[1:] {
		c := s.signIn(t, email)
		p, err := livetest.Read(c, s.url, "/today")
		if err != nil {
			t.Fatal(err)
		}
		wg.Go(func() {
			err := p.Follow(context.Background(), c, s.url, func(event, data string) {
				switch event {
				case "hello":
					follow <- struct{}{}
				case "rows":
					rows, err := p.Lay(data)
					if err != nil || p.Again {
						fmt.Fprintln(os.Stderr, email, "is to read its page anew", err)
					}
					at := time.Now().UnixNano()
					out.Lock()
					defer out.Unlock()
					for _, r := range rows {
						if strings.Contains(r.HTML, "<b>out ") {
							_ = told.Encode(laid{i, r.ID, at}) // whoever listens ends this process
						}
					}
				}
			})
			if err != nil {
				t.Error(err)
			}
		})
	}
	for range asked[1:] {
		<-follow
	}
	out.Lock()
	fmt.Println("following", len(asked)-1)
	out.Unlock()
	wg.Wait()
}
