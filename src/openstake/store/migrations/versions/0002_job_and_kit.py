"""settings of jobs that can be changed, geoid grids, marks by latitude and longitude, gear, profiles, packing"""

import json
import uuid

import sqlalchemy as sa
from alembic import op

APPEND_ONLY = ("job", "job_settings", "geoid_grid", "mark", "gear", "profile", "job_profile", "tick")

revision = '0002'
down_revision = '0001'


def _key() -> sa.Column[str]:
    return sa.Column('id', sa.String(36), primary_key=True)


def upgrade() -> None:
    op.create_table('geoid_grid', _key(),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('file', sa.String(200), nullable=False),
        sa.Column('training_only', sa.Boolean(), nullable=False),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    settings = op.create_table('job_settings', _key(),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('archived', sa.Boolean(), nullable=False),
        sa.Column('client', sa.String(200), nullable=False),
        sa.Column('task', sa.String(200), nullable=False),
        sa.Column('crew', sa.String(200), nullable=False),
        sa.Column('time_zone', sa.String(64), nullable=False),
        sa.Column('notes', sa.Text(), nullable=False),
        sa.Column('length_unit', sa.String(8), nullable=False),
        sa.Column('frame', sa.Text(), nullable=False),
        sa.Column('system_label', sa.String(200), nullable=False),
        sa.Column('frame_name', sa.String(200), nullable=False),
        sa.Column('frame_epoch', sa.String(80), nullable=False),
        sa.Column('vertical_system', sa.String(200), nullable=False),
        sa.Column('geoid_id', sa.String(36), sa.ForeignKey('geoid_grid.id')),
        sa.Column('project_height_m', sa.Float()),
        sa.Column('place_latitude_deg', sa.Float()),
        sa.Column('place_longitude_deg', sa.Float()),
        sa.Column('replaces_id', sa.String(36), sa.ForeignKey('job_settings.id'), unique=True),
        sa.Column('reason', sa.Text(), nullable=False),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    rows = op.get_bind().execute(sa.text("SELECT id, name, system_code, length_unit, created_s FROM job")).all()
    empty = dict.fromkeys(('client', 'task', 'crew', 'notes', 'system_label', 'frame_name', 'frame_epoch', 'vertical_system', 'reason'), '')
    for row in rows:
        op.execute(settings.insert().values(
            **empty, id=str(uuid.uuid4()), job_id=row.id, name=row.name, archived=False, time_zone='UTC',
            length_unit=row.length_unit, frame=json.dumps({"system": f"EPSG:{row.system_code}"}), created_s=row.created_s,
        ))
    sqlite = op.get_bind().dialect.name == "sqlite"
    if sqlite:
        # A table that is rebuilt loses its triggers; they come back below.
        for verb in ("update", "delete"):
            op.execute(f"DROP TRIGGER mark_no_{verb}")
    job = sa.Table('job', sa.MetaData(),
        sa.Column('id', sa.String(36), primary_key=True),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('system_code', sa.Integer(), nullable=False),
        sa.Column('length_unit', sa.String(8), nullable=False),
        sa.Column('practice', sa.Boolean(), nullable=False),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    with op.batch_alter_table('job', copy_from=job if sqlite else None) as batch:
        for name in ('name', 'system_code', 'length_unit'):
            batch.drop_column(name)
    with op.batch_alter_table('mark') as batch:
        batch.alter_column('east_m', existing_type=sa.Float(), nullable=True)
        batch.alter_column('north_m', existing_type=sa.Float(), nullable=True)
        batch.add_column(sa.Column('latitude_deg', sa.Float()))
        batch.add_column(sa.Column('longitude_deg', sa.Float()))
        batch.add_column(sa.Column('order_class', sa.String(200), nullable=False, server_default=''))
        batch.add_column(sa.Column('check_only', sa.Boolean(), nullable=False, server_default=sa.false()))
        batch.add_column(sa.Column('withdrawn', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table('gear', _key(),
        sa.Column('line_id', sa.String(36), nullable=False, index=True),
        sa.Column('kind', sa.String(16), nullable=False),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('data', sa.Text(), nullable=False),
        sa.Column('withdrawn', sa.Boolean(), nullable=False),
        sa.Column('replaces_id', sa.String(36), sa.ForeignKey('gear.id'), unique=True),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    op.create_table('profile', _key(),
        sa.Column('line_id', sa.String(36), nullable=False, index=True),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(200), nullable=False),
        sa.Column('role', sa.String(16), nullable=False),
        sa.Column('data', sa.Text(), nullable=False),
        sa.Column('withdrawn', sa.Boolean(), nullable=False),
        sa.Column('replaces_id', sa.String(36), sa.ForeignKey('profile.id'), unique=True),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    op.create_table('job_profile',
        sa.Column('n', sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('line_id', sa.String(36), nullable=False),
        sa.Column('chosen', sa.Boolean(), nullable=False),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    op.create_table('tick',
        sa.Column('n', sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('list_name', sa.String(200), nullable=False),
        sa.Column('item', sa.String(200), nullable=False),
        sa.Column('done', sa.Boolean(), nullable=False),
        sa.Column('created_s', sa.Float(), nullable=False),
    )
    if sqlite:
        for table in APPEND_ONLY:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def downgrade() -> None:
    raise NotImplementedError("Settings, gear and profiles would be lost: restore the data folder's copy instead.")
