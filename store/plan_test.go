package store

import (
	"slices"
	"strings"
	"testing"
	"time"

	"gorm.io/gorm"
)

// TestPendingIndex: what is pending is found and sorted by an index of its own, so that All exceptions does not grow with what is settled.
func TestPendingIndex(t *testing.T) {
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for order, index := range map[string]string{"size DESC": "exceptions_pending_size", "opened": "exceptions_pending_age"} {
		sql := s.reads.ToSQL(func(tx *gorm.DB) *gorm.DB {
			var ids []uint
			return pending(tx.Table("exceptions").Select("exceptions.id")).Order("exceptions." + order + ", exceptions.id").Limit(101).Scan(&ids)
		})
		var plan []struct{ Detail string }
		if err := s.reads.Raw("EXPLAIN QUERY PLAN " + sql).Scan(&plan).Error; err != nil {
			t.Fatal(err)
		}
		var lines []string
		for _, p := range plan {
			lines = append(lines, p.Detail)
		}
		if got := strings.Join(lines, "\n"); !strings.Contains(got, index) || strings.Contains(got, "TEMP B-TREE") {
			t.Errorf("by %s:\n%s", order, got)
		}
	}
}

// TestFollowPlan: what a run does while everybody waits goes through neither all exceptions nor all entries, so that it does not grow with what there was before.
func TestFollowPlan(t *testing.T) {
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	named := map[string]any{"run": 1, "sieve": 1, "now": time.Now(), "seen": 1, "back": "[1]", "retired": "[1]", "why": KeyChanged}
	err = s.write(t.Context(), urgent, func(tx *gorm.DB) error {
		searched := 0
		for _, sql := range following {
			var plan []struct{ Detail string }
			if err := tx.Raw("EXPLAIN QUERY PLAN "+sql, named).Scan(&plan).Error; err != nil {
				return err
			}
			for _, p := range plan {
				if name := strings.Fields(p.Detail); name[0] == "SCAN" && slices.Contains([]string{"exceptions", "turned", "e", "x"}, name[1]) || strings.Contains(p.Detail, "changed_seq>?") && strings.Contains(sql, "changed_seq > 0 AND") {
					t.Errorf("%s\n%s", p.Detail, sql)
				} else if name[0] == "SEARCH" {
					searched++
				}
			}
		}
		if searched < 8 {
			t.Errorf("only %d searches were seen", searched)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// TestGonePlan: exceptions that are gone are found by an index, whichever side their hash is of, and those of another reading too.
func TestGonePlan(t *testing.T) {
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for where, index := range map[string]string{
		"sieve_id = 1 AND reading = 1 AND presence <> 'here' AND left_hash <> 0 AND left_hash IN (SELECT value FROM json_each('[1]'))":   "exceptions_left (sieve_id=? AND left_hash=?)",
		"sieve_id = 1 AND reading = 1 AND presence <> 'here' AND right_hash <> 0 AND right_hash IN (SELECT value FROM json_each('[1]'))": "exceptions_right (sieve_id=? AND right_hash=?)",
		"sieve_id = 1 AND presence = 'cleared' AND reading < 1":                                                                          "exceptions_cleared (sieve_id=? AND reading<?)",
		"sieve_id = 1 AND presence = 'absent'": "exceptions_of_sieve (sieve_id=? AND presence=?)",
	} {
		var plan []struct{ Detail string }
		if err := s.reads.Raw("EXPLAIN QUERY PLAN SELECT * FROM exceptions WHERE " + where).Scan(&plan).Error; err != nil {
			t.Fatal(err)
		}
		if !strings.Contains(plan[0].Detail, index) {
			t.Errorf("%s: %s", where, plan[0].Detail)
		}
	}
}
