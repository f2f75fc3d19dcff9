package words

import "fmt"

// Event says what an entry of the history tells of, without who and when.
func Event(action, subject string, details map[string]any) string {
	d := func(name string) string {
		switch v := details[name].(type) {
		case nil:
			return ""
		case float64:
			return fmt.Sprintf("%.0f", v)
		default:
			return fmt.Sprint(v)
		}
	}
	switch action {
	case "set.loaded":
		return fmt.Sprintf("loaded %s as snapshot %s of the record set %s: %s records, %s rejects", d("source"), d("snapshot"), subject, d("records"), d("rejects"))
	case "set.deleted":
		return "deleted the record set " + subject
	case "sieve.made":
		return "made the sieve " + subject
	case "sieve.changed":
		if was := d("was"); was != subject {
			return fmt.Sprintf("renamed the sieve %s to %s, and saved its version %s", was, subject, d("version"))
		}
		return fmt.Sprintf("saved version %s of the sieve %s", d("version"), subject)
	case "sieve.deleted":
		return "deleted the sieve " + subject
	case "crosswalk.decided":
		return fmt.Sprintf("decided about the crosswalk of %s, which is now in version %s", subject, d("version"))
	case "crosswalk.taken-back":
		return fmt.Sprintf("took entry %s of the crosswalk of %s back", d("entry"), subject)
	case "run.finished":
		return fmt.Sprintf("ran %s: run %s, report %s, %s entries", d("sieve"), d("number"), subject, d("entries"))
	case "exceptions.changed":
		return fmt.Sprintf("changed %s exceptions in report %s: %s", d("exceptions"), subject, d("says"))
	case "exceptions.undone":
		return fmt.Sprintf("took back a change of %s exceptions in report %s: %s", d("exceptions"), subject, d("says"))
	case "exception.commented":
		return fmt.Sprintf("commented on exception %s in report %s", subject, d("run"))
	case "exception.attached":
		return fmt.Sprintf("put the file %s to exception %s in report %s", d("name"), subject, d("run"))
	case "reasons.changed":
		return "changed the list of reasons"
	case "report.submitted":
		return "submitted report " + subject
	case "report.signed":
		return fmt.Sprintf("signed report %s, prepared by %s", subject, d("preparer"))
	case "report.sent-back":
		return fmt.Sprintf("sent report %s back: %s", subject, d("note"))
	case "report.reopened":
		return fmt.Sprintf("reopened report %s: %s", subject, d("note"))
	case "report.shared":
		return fmt.Sprintf("made link %s for others to report %s: %s", d("share"), subject, d("says"))
	case "report.unshared":
		return fmt.Sprintf("revoked link %s to report %s", d("share"), subject)
	case "sieve.scheduled":
		if active, is := details["active"].(bool); is && !active {
			return "let " + subject + " run by itself no longer"
		}
		return "let " + subject + " run by itself"
	case "retention.applied":
		return fmt.Sprintf("removed %s runs, and the snapshots that only these needed: %s", subject, d("rule"))
	case "webhook.added":
		return "added the webhook " + subject
	case "webhook.removed":
		return "removed the webhook " + subject
	case "connection.saved":
		return "saved the connection " + subject
	case "connection.deleted":
		return "deleted the connection " + subject
	case "person.added":
		return fmt.Sprintf("added %s as %s", subject, d("role"))
	case "person.changed":
		if active, is := details["active"].(bool); is && !active {
			return fmt.Sprintf("made %s, %s, inactive", subject, d("role"))
		}
		return fmt.Sprintf("changed %s, now %s", subject, d("role"))
	case "person.password":
		return "changed the password of " + subject
	case "person.signed-in":
		return "signed in"
	case "link.made":
		return fmt.Sprintf("made a one-time link for %s", subject)
	case "link.used":
		return "used a one-time link"
	case "token.made":
		return fmt.Sprintf("made the token %s", d("label"))
	case "token.revoked":
		return fmt.Sprintf("revoked the token %s", d("label"))
	}
	return action + " " + subject
}
