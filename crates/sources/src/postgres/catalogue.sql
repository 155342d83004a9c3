-- The whole catalogue of the schemas asked for, as one JSON value: lists of rows, each row a list.
-- $1: the schemas, home first. Rows name tables by their number; what an extension brought is left out.
WITH ns AS MATERIALIZED (
  SELECT n.oid, CASE WHEN s.at > 1 THEN n.nspname END AS shown
  FROM unnest($1::text[]) WITH ORDINALITY AS s(name, at) JOIN pg_namespace n ON n.nspname = s.name
), foreign_objects AS MATERIALIZED (
  SELECT classid, objid FROM pg_depend WHERE deptype = 'e'
), rel AS MATERIALIZED (
  SELECT c.oid, c.relname, ns.shown, c.relkind, c.relpersistence, c.relowner, c.relrowsecurity, c.relforcerowsecurity, c.relacl,
         c.relispartition, c.relpartbound, c.reloptions
  FROM pg_class c JOIN ns ON ns.oid = c.relnamespace
  WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f')
    AND NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_class'::regclass AND e.objid = c.oid)
), own AS MATERIALIZED (SELECT * FROM rel WHERE NOT relispartition)
SELECT json_build_object(
  'database', (SELECT (SELECT system_identifier FROM pg_control_system()) || '/' || oid FROM pg_database WHERE datname = current_database()),
  'trail', to_regclass('ysomorph_trail.entry') IS NOT NULL,
  'tables', (SELECT coalesce(json_agg(json_build_array(r.oid::int8, r.shown, r.relname, r.relkind, r.relpersistence, pg_get_userbyid(r.relowner),
      CASE WHEN r.relforcerowsecurity AND r.relrowsecurity THEN 2 WHEN r.relrowsecurity THEN 1 ELSE 0 END,
      obj_description(r.oid, 'pg_class'),
      CASE WHEN r.relkind IN ('v', 'm') THEN pg_get_viewdef(r.oid) END,
      CASE WHEN r.relkind = 'p' THEN pg_get_partkeydef(r.oid) END,
      CASE WHEN r.relkind IN ('v', 'f') THEN pg_relation_is_updatable(r.oid, false) ELSE 0 END,
      (SELECT s.srvname FROM pg_foreign_table f JOIN pg_foreign_server s ON s.oid = f.ftserver WHERE f.ftrelid = r.oid),
      coalesce(r.reloptions, '{}')) ORDER BY r.oid), '[]') FROM own r),
  'types', (SELECT coalesce(json_agg(json_build_array(p.id::int8, p.modifier, format_type(p.id, p.modifier), t.typname, t.typtype, t.typcategory,
      t.typbasetype::int8, t.typtypmod)), '[]')
    FROM (SELECT DISTINCT a.atttypid AS id, a.atttypmod AS modifier FROM pg_attribute a JOIN own r ON r.oid = a.attrelid WHERE a.attnum > 0
          UNION SELECT t.typbasetype, t.typtypmod FROM pg_type t WHERE t.typtype = 'd') p JOIN pg_type t ON t.oid = p.id),
  'columns', (SELECT coalesce(json_agg(json_build_array(a.attrelid::int8, a.attnum, a.attname, a.atttypid::int8, a.atttypmod, a.attnotnull,
      pg_get_expr(d.adbin, d.adrelid), a.attgenerated, a.attidentity,
      CASE WHEN a.attcollation <> t.typcollation THEN (SELECT c.collname FROM pg_collation c WHERE c.oid = a.attcollation) END, s.description)
      ORDER BY a.attrelid, a.attnum), '[]')
    FROM own r JOIN pg_attribute a ON a.attrelid = r.oid JOIN pg_type t ON t.oid = a.atttypid
      LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
      LEFT JOIN pg_description s ON s.classoid = 'pg_class'::regclass AND s.objoid = a.attrelid AND s.objsubid = a.attnum
    WHERE a.attnum > 0 AND NOT a.attisdropped),
  'numbered', (SELECT coalesce(json_agg(json_build_array(d.refobjid::int8, d.refobjsubid)), '[]')
    FROM pg_depend d JOIN pg_class s ON s.oid = d.objid AND s.relkind = 'S' JOIN own r ON r.oid = d.refobjid
    WHERE d.classid = 'pg_class'::regclass AND d.refclassid = 'pg_class'::regclass AND d.deptype = 'a' AND d.refobjsubid > 0),
  'constraints', (SELECT coalesce(json_agg(json_build_array(c.conrelid::int8, c.contype, c.conname, c.conkey, c.confrelid::int8, c.confkey,
      CASE WHEN c.contype = 'c' THEN pg_get_expr(c.conbin, c.conrelid) WHEN c.contype = 'x' THEN pg_get_constraintdef(c.oid) END,
      c.confdeltype, c.confupdtype, c.confmatchtype, c.condeferrable, c.condeferred, c.convalidated,
      CASE WHEN c.contype = 'u' THEN (SELECT {nulls} FROM pg_index i WHERE i.indexrelid = c.conindid) ELSE false END)
      ORDER BY c.conrelid, c.conname), '[]')
    FROM pg_constraint c JOIN own r ON r.oid = c.conrelid WHERE c.contype IN ('p', 'u', 'f', 'c', 'x')),
  'indexes', (SELECT coalesce(json_agg(json_build_array(i.indrelid::int8, x.relname, i.indisunique, i.indnkeyatts, i.indkey::int2[],
      (SELECT array_agg(pg_get_indexdef(i.indexrelid, k, true) ORDER BY k) FROM generate_series(1, i.indnkeyatts) k),
      pg_get_expr(i.indpred, i.indrelid), m.amname, i.indoption::int2[], {nulls},
      (SELECT array_agg(CASE WHEN o.opcdefault THEN NULL ELSE o.opcname END ORDER BY u.at)
       FROM unnest(i.indclass::oid[]) WITH ORDINALITY u(class, at) JOIN pg_opclass o ON o.oid = u.class)) ORDER BY i.indrelid, x.relname), '[]')
    FROM pg_index i JOIN own r ON r.oid = i.indrelid JOIN pg_class x ON x.oid = i.indexrelid JOIN pg_am m ON m.oid = x.relam
    WHERE NOT i.indisprimary AND NOT EXISTS (SELECT FROM pg_constraint c WHERE c.conindid = i.indexrelid AND c.contype IN ('u', 'x'))),
  'triggers', (SELECT coalesce(json_agg(json_build_array(t.tgrelid::int8, t.tgname, pg_get_triggerdef(t.oid, true), t.tgtype, t.tgenabled)
      ORDER BY t.tgrelid, t.tgname), '[]')
    FROM pg_trigger t JOIN own r ON r.oid = t.tgrelid WHERE NOT t.tgisinternal),
  'policies', (SELECT coalesce(json_agg(json_build_array(p.polrelid::int8, p.polname, p.polcmd, p.polpermissive,
      (SELECT array_agg(pg_get_userbyid(o) ORDER BY 1) FROM unnest(p.polroles) o WHERE o <> 0),
      pg_get_expr(p.polqual, p.polrelid), pg_get_expr(p.polwithcheck, p.polrelid)) ORDER BY p.polrelid, p.polname), '[]')
    FROM pg_policy p JOIN own r ON r.oid = p.polrelid),
  'grants', (SELECT coalesce(json_agg(json_build_array(g.oid::int8, g.grantee, g.privilege, g.grantable, g.attnum)), '[]') FROM (
      SELECT r.oid, CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE pg_get_userbyid(a.grantee) END AS grantee, a.privilege_type AS privilege,
             a.is_grantable AS grantable, 0 AS attnum
      FROM own r CROSS JOIN LATERAL aclexplode(r.relacl) a WHERE a.grantee <> r.relowner
      UNION ALL
      SELECT r.oid, CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE pg_get_userbyid(a.grantee) END, a.privilege_type, a.is_grantable, c.attnum
      FROM own r JOIN pg_attribute c ON c.attrelid = r.oid AND c.attacl IS NOT NULL CROSS JOIN LATERAL aclexplode(c.attacl) a
      WHERE a.grantee <> r.relowner) g),
  'partitions', (SELECT coalesce(json_agg(json_build_array(i.inhparent::int8, r.shown, r.relname, pg_get_expr(r.relpartbound, r.oid))
      ORDER BY i.inhparent, r.relname), '[]')
    FROM rel r JOIN pg_inherits i ON i.inhrelid = r.oid WHERE r.relispartition),
  'parents', (SELECT coalesce(json_agg(json_build_array(i.inhrelid::int8, i.inhparent::int8) ORDER BY i.inhrelid, i.inhseqno), '[]')
    FROM own r JOIN pg_inherits i ON i.inhrelid = r.oid),
  'reads', (SELECT coalesce(json_agg(json_build_array(v.oid::int8, d.refobjid::int8, a.attname)), '[]')
    FROM own v JOIN pg_rewrite w ON w.ev_class = v.oid
      JOIN (SELECT DISTINCT objid, refobjid, refobjsubid FROM pg_depend
            WHERE classid = 'pg_rewrite'::regclass AND refclassid = 'pg_class'::regclass AND refobjsubid > 0) d ON d.objid = w.oid
      JOIN pg_attribute a ON a.attrelid = d.refobjid AND a.attnum = d.refobjsubid
    WHERE v.relkind IN ('v', 'm') AND d.refobjid <> v.oid),
  'elsewhere', (SELECT coalesce(json_agg(json_build_array(c.oid::int8, n.nspname, c.relname)), '[]')
    FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
    WHERE c.oid IN (SELECT f.confrelid FROM pg_constraint f JOIN own r ON r.oid = f.conrelid WHERE f.contype = 'f')
      AND NOT EXISTS (SELECT FROM own r WHERE r.oid = c.oid)),
  'enums', (SELECT coalesce(json_agg(json_build_array(ns.shown, t.typname,
      (SELECT json_agg(e.enumlabel ORDER BY e.enumsortorder) FROM pg_enum e WHERE e.enumtypid = t.oid)) ORDER BY t.typname), '[]')
    FROM pg_type t JOIN ns ON ns.oid = t.typnamespace WHERE t.typtype = 'e'
      AND NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid)),
  'domains', (SELECT coalesce(json_agg(json_build_array(ns.shown, t.typname, t.typbasetype::int8, t.typtypmod, t.typnotnull, t.typdefault,
      (SELECT coalesce(json_agg(pg_get_expr(c.conbin, 0) ORDER BY pg_get_expr(c.conbin, 0)), '[]') FROM pg_constraint c
       WHERE c.contypid = t.oid AND c.contype = 'c')) ORDER BY t.typname), '[]')
    FROM pg_type t JOIN ns ON ns.oid = t.typnamespace WHERE t.typtype = 'd'
      AND NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid)),
  'composites', (SELECT coalesce(json_agg(json_build_array(ns.shown, t.typname,
      (SELECT json_agg(quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod) ORDER BY a.attnum)
       FROM pg_attribute a WHERE a.attrelid = t.typrelid AND a.attnum > 0 AND NOT a.attisdropped)) ORDER BY t.typname), '[]')
    FROM pg_type t JOIN ns ON ns.oid = t.typnamespace JOIN pg_class c ON c.oid = t.typrelid AND c.relkind = 'c'
    WHERE t.typtype = 'c' AND NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid)),
  'ranges', (SELECT coalesce(json_agg(json_build_array(ns.shown, t.typname, format_type(g.rngsubtype, NULL)) ORDER BY t.typname), '[]')
    FROM pg_range g JOIN pg_type t ON t.oid = g.rngtypid JOIN ns ON ns.oid = t.typnamespace
    WHERE NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_type'::regclass AND e.objid = t.oid)),
  'sequences', (SELECT coalesce(json_agg(json_build_array(ns.shown, c.relname, format_type(s.seqtypid, NULL), s.seqstart, s.seqincrement, s.seqmin,
      s.seqmax, s.seqcycle,
      (SELECT coalesce(json_agg(json_build_array(CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE pg_get_userbyid(a.grantee) END, a.privilege_type,
         a.is_grantable)), '[]') FROM aclexplode(c.relacl) a WHERE a.grantee <> c.relowner)) ORDER BY c.relname), '[]')
    FROM pg_class c JOIN ns ON ns.oid = c.relnamespace JOIN pg_sequence s ON s.seqrelid = c.oid
    WHERE NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype IN ('a', 'i', 'e'))),
  'routines', (SELECT coalesce(json_agg(json_build_array(ns.shown, p.proname, p.prokind, pg_get_function_arguments(p.oid),
      pg_get_function_result(p.oid), l.lanname,
      CASE WHEN p.prokind = 'a' THEN '' ELSE {body} END,
      json_build_array(p.prosecdef, p.proisstrict, p.provolatile, p.proparallel, p.proleakproof), coalesce(p.proconfig, '{}'),
      pg_get_userbyid(p.proowner),
      (SELECT coalesce(json_agg(json_build_array(CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE pg_get_userbyid(a.grantee) END, a.privilege_type,
         a.is_grantable)), '[]')
       FROM aclexplode(coalesce(p.proacl, acldefault('f', p.proowner))) a WHERE a.grantee <> p.proowner))
      ORDER BY p.proname, pg_get_function_identity_arguments(p.oid)), '[]')
    FROM pg_proc p JOIN ns ON ns.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang
    WHERE NOT EXISTS (SELECT FROM foreign_objects e WHERE e.classid = 'pg_proc'::regclass AND e.objid = p.oid)
      AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype = 'i')),
  'default_grants', (SELECT coalesce(json_agg(json_build_array(pg_get_userbyid(d.defaclrole), d.defaclobjtype,
      CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE pg_get_userbyid(a.grantee) END, a.privilege_type, a.is_grantable)), '[]')
    FROM pg_default_acl d CROSS JOIN LATERAL aclexplode(d.defaclacl) a
    WHERE (d.defaclnamespace = 0 OR d.defaclnamespace IN (SELECT oid FROM ns)) AND a.grantee <> d.defaclrole)
)::text
