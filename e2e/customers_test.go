package e2e

import (
	"regexp"
	"testing"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A manager gives a customer a link, the customer reads the hours, and the
// link is taken back.
func TestACustomersLink(t *testing.T) {
	s := open(t)
	mira := s.device(1280, 800)
	mira.signIn("Mira Castellane")
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2231'`)
	mira.open("/jobs/" + job.String())
	mira.press("^County of Hollin$")
	mira.sees("h1", "County of Hollin")
	mira.MustElement("#to").MustInput("Clerk of works")
	mira.press("^Give the link$")
	link := regexp.MustCompile(`/hours/[a-z0-9-]+`).FindString(mira.sees(".said", "it is shown only now").MustText())
	outside := s.device(390, 844)
	outside.open(link)
	outside.sees("h1", "Hours for County of Hollin, November 2026")
	outside.sees("h2", "2231 Gantry, Route 9")
	outside.press("^The month before$")
	outside.sees("h1", "October 2026")
	mira.open("/jobs/" + job.String())
	mira.press("^County of Hollin$")
	mira.sees(".runlist", "Clerk of works[\\s\\S]*last looked")
	mira.press("^Take it back$")
	mira.sees(".said", "The link is taken back")
	outside.expectTrouble() // it answers 404
	outside.open(link)
	outside.sees("h1", "There is nothing here")
}
