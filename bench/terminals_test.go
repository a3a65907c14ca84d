package bench

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/people"
	"manudex/app/points"
)

// TestTerminals has a thousand people clock in at five shared terminals, by number and PIN,
// as fast as each terminal is answered, and gives how long they waited beside a durable
// write of one row by as many clients. Nothing that was answered may be lost.
func TestTerminals(t *testing.T) {
	s := open(t, dsn(t, "MANUDEX_BENCH_PUNCHES"), time.Now)
	ctx := context.Background()
	const terminals, pin = 5, "2580"
	hash, err := people.HashPassword(pin)
	if err != nil {
		t.Fatal(err)
	}
	point := uuid.Must(uuid.NewV7())
	var numbers []string
	for _, sql := range []string{
		`update stint set end_at = start_at + interval '1 second', end_by = 'hand' where end_at is null`,
		`update employment set clock_points = 'shared terminal', site_id = (select id from site order by name limit 1)`} {
		if _, err := s.db.Exec(sql); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := s.db.Exec(`update person set pin_hash = $1`, hash); err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.Exec(`insert into clock_point (id, name, site_id, job_id, task_id, made_at, made_by)
		select $1::uuid, 'bench ' || $1::text, (select id from site order by name limit 1), t.job_id, t.id, now(), p.id
		from task t join job j on j.id = t.job_id and j.number = '2252', person p where p.level = 'owner' limit 1`, point); err != nil {
		t.Fatal(err)
	}
	if err := s.db.Select(&numbers, `select p.number from person p join employment e on e.person_id = p.id
		where p.level in ('worker', 'lead') and e.ends_on is null group by p.number order by p.number limit 1000`); err != nil {
		t.Fatal(err)
	}
	var owner uuid.UUID
	if err := s.db.Get(&owner, `select id from person where level = 'owner' limit 1`); err != nil {
		t.Fatal(err)
	}
	actor, err := s.Actor(ctx, owner)
	if err != nil {
		t.Fatal(err)
	}
	var mu sync.Mutex
	var took, plain []time.Duration
	var answered []string
	var all sync.WaitGroup
	begun := time.Now()
	for n := range terminals {
		key := ""
		if err := s.Do(ctx, actor, points.GiveKey{ID: uuid.Must(uuid.NewV7()), Point: point, Title: fmt.Sprint("Terminal ", n),
			Browser: true, Told: func(k string) { key = k }}); err != nil {
			t.Fatal(err)
		}
		all.Go(func() {
			for i := n; i < len(numbers); i += terminals {
				id, at := uuid.Must(uuid.NewV7()).String(), time.Now()
				if err := press(s.url, key, id, numbers[i], pin); err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				took, answered = append(took, time.Since(at)), append(answered, id)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	whole := time.Since(begun)
	for range terminals {
		all.Go(func() {
			for range 200 {
				at := time.Now()
				if _, err := s.db.Exec(`insert into audit (made_at, act) values (now(), 'bench')`); err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				plain = append(plain, time.Since(at))
				mu.Unlock()
			}
		})
	}
	all.Wait()
	var kept int
	if err := s.db.Get(&kept, `select count(*) from (select id from punch where id = any($1::uuid[])
		union all select id from claim where id = any($1::uuid[])) x`, "{"+strings.Join(answered, ",")+"}"); err != nil {
		t.Fatal(err)
	}
	if kept != len(answered) || len(answered) != len(numbers) {
		t.Errorf("%d people, %d answered, %d kept", len(numbers), len(answered), kept)
	}
	slices.Sort(took)
	slices.Sort(plain)
	at := func(of []time.Duration, p int) time.Duration { return of[len(of)*p/100].Round(100 * time.Microsecond) }
	fmt.Printf("Terminals: %d people at %d in %s; PIN and punch p50 %s, p99 %s; a durable row p99 %s, ratio %.1f; %d of %d kept\n",
		len(answered), terminals, whole.Round(100*time.Millisecond), at(took, 50), at(took, 99), at(plain, 99),
		float64(at(took, 99))/float64(at(plain, 99)), kept, len(answered))
}

// press clocks somebody in at a terminal.
func press(base, key, id, number, pin string) error {
	now := time.Now().UTC().Format(time.RFC3339Nano)
	punch, err := json.Marshal([]map[string]any{{"id": id, "number": number, "pin": pin, "act": "in", "device_at": now}})
	if err != nil {
		return err
	}
	req, err := http.NewRequest("POST", base+"/terminal/punches",
		strings.NewReader(url.Values{"punches": {string(punch)}, "sent_at": {time.Now().UTC().Format(time.RFC3339)}}.Encode()))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	req.AddCookie(&http.Cookie{Name: "terminal", Value: key})
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	if answer := string(body); err != nil || res.StatusCode != http.StatusOK ||
		!strings.Contains(answer, `"recorded"`) && !strings.Contains(answer, `"claim"`) {
		return fmt.Errorf("%s: %d %v %.200s", number, res.StatusCode, err, body)
	}
	return nil
}
