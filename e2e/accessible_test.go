package e2e

import (
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/jobs"
	"manudex/dbtest"
	"manudex/demo"
)

// No page has a serious finding, in either theme, with or without content.
func TestAccessible(t *testing.T) {
	s := open(t)
	s.Post = app.Post{Server: "127.0.0.1:1", From: "hours@" + demo.MailDomain} // the page of forgotten passwords is there
	tomasz := s.Person(t, "Tomasz Brandt")
	run := dbtest.Get[string](t, s.World, `select id::text from run order by number limit 1`)
	customer, token := dbtest.Get[uuid.UUID](t, s.World, `select id from customer where name = 'County of Hollin'`), app.NewSignInToken()
	if err := s.Do(t.Context(), s.Person(t, "Mira Castellane"),
		jobs.ShareHours{ID: uuid.Must(uuid.NewV7()), Customer: customer, To: "Auditor", Token: token}); err != nil {
		t.Fatal(err)
	}
	inTheme := func(t *testing.T, theme, rules string) {
		t.Parallel()
		s := s.of(t)
		mira := s.device(1280, 800)
		mira.signIn("Mira Castellane")
		phone := s.device(390, 844)
		phone.signIn("Dao Pham")
		ruth := s.device(390, 844)
		ruth.signIn("Ruth Adeyemi")
		stranger := s.device(1280, 800)
		stranger.open("/signin")
		for _, c := range []struct {
			d    *device
			path string
		}{
			{stranger, "/signin"}, {mira, "/today"}, {mira, "/today?day=2026-11-15"}, {mira, "/timecards?day=2026-11-12"},
			{mira, "/timecards?from=2026-11-08&to=2026-11-13"},
			{mira, "/timecards?person=" + tomasz.ID.String()}, {mira, "/cards/" + tomasz.Employment.String() + "/2026-11-12"},
			{mira, "/cards/" + tomasz.Employment.String() + "/2026-11-12?add=1"}, {mira, "/today/map"},
			{mira, "/timecards?day=2026-11-12&q=no+meal"},
			{mira, "/timecards/change?does=end&at=09:00&card=" + tomasz.Employment.String() + "/2026-11-13"},
			{phone, "/cards/" + s.Person(t, "Dao Pham").Employment.String() + "/2026-11-12"},
			{mira, "/timecards/sheets?day=2026-11-12"},
			{mira, "/me"}, {stranger, "/signin/forgot"}, {mira, "/claims"}, {mira, "/setup/rights"}, {mira, "/setup/work"},
			{mira, "/payruns"}, {mira, "/payruns/close"}, {mira, "/payruns/" + run},
			{mira, "/payruns/answers"}, {mira, "/payruns/adjustments"}, {mira, "/payruns/layouts"}, {mira, "/payruns/" + run + "/turn"},
			{mira, "/payruns/" + run + "/transfers"},
			{mira, "/payruns/" + run + "/" + tomasz.Employment.String()}, {mira, "/people"}, {mira, "/people?q=zzz"},
			{mira, "/people/" + tomasz.ID.String()}, {mira, "/people/new"}, {mira, "/people/file"},
			{mira, "/people/many?field=own_edits&value=request"}, {mira, "/setup"}, {mira, "/setup/on/place"}, {mira, "/setup/on/sites"},
			{mira, "/setup/on/flags"}, {mira, "/setup/on/crews"}, {mira, "/setup/on/pay"}, {mira, "/setup/on/holidays"},
			{mira, "/setup/on/keeping"}, {mira, "/setup/on/clocking"}, {mira, "/setup/on/asks"}, {mira, "/setup/on/moving"},
			{mira, "/setup/on/points"},
			{mira, "/setup/hours"},
			{mira, "/guide"}, {mira, "/guide/people"}, {mira, "/people?kind=crew&view=pay&sort=-rate"},
			{mira, "/setup/rules?ready=daily-8-12-seventh-day"},
			{mira, "/setup/audit"}, {mira, "/setup/codes"}, {mira, "/setup/begin?step=place"},
			{mira, "/setup/begin?step=rules"}, {mira, "/jobs"}, {mira, "/jobs/file"}, {mira, "/customers/" + customer.String()},
			{stranger, "/hours/" + token},
			{mira, "/jobs/" + dbtest.Get[string](t, s.World, `select id::text from job where public_work order by number limit 1`)},
			{mira, "/find?q=gantry"}, {mira, "/find?q=zzz"}, {phone, "/clock"}, {phone, "/clock/days"},
			{phone, "/clock/kept"}, {mira, "/crew"}, {phone, "/byhand"},
			{mira, "/roster"}, {mira, "/roster?from=2026-11-13&to=2026-11-13"}, {mira, "/roster?from=2026-11-08&to=2026-12-05"},
			{mira, "/roster/tell"}, {mira, "/roster/worked"}, {mira, "/roster/late"}, {mira, "/setup/on/planning"},
			{mira, "/setup/on/notices"}, {mira, "/setup/messages"},
			{mira, "/notices"}, {phone, "/notices"}, {phone, "/shifts"},
			{mira, "/people?without=sign-in"}, {ruth, "/clock"}, {ruth, "/timecards?day=2026-11-12"},
		} {
			if theme == "dark" && strings.Contains(c.path, "?") {
				continue // the same pieces in another state: their contrast is that of the page without
			}
			c.d.MustEval(`(theme) => { localStorage.setItem("theme", theme); }`, theme)
			c.d.open(c.path)
			c.d.accessible(theme+" "+c.path, rules)
			if theme == "light" {
				c.d.fits(c.path)
			}
		}
		mira.expectTrouble() // the page that is not there answers 404
		mira.open("/nowhere")
		mira.accessible("not found", rules)
	}
	t.Run("light", func(t *testing.T) { inTheme(t, "light", "all") })
	t.Run("dark", func(t *testing.T) { inTheme(t, "dark", "color-contrast") }) // what else there is, is the same
}
