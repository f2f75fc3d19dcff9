package store

import (
	"strings"
	"testing"

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
